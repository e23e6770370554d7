import { nameRule } from '../naming-context.js';

export const hostAnswersOtherwise = nameRule(
  {
    name: 'host-answers-otherwise',
    level: 'error',
    explain:
      'The name leads somewhere that does not answer with the site: a parked page, another bucket, or a host that does not know the name.',
    example: '404 for http://www.wendlemill.example/ from a host that was never told of the name',
    fix: 'Tell the host the name (`domains`), publish, and look where the name leads.',
  },
  function* ({ host }) {
    if (!host || host.seen === host.expected) return;
    yield {
      message: `${host.url} answers ${host.seen}, where ${host.expected} is expected`,
      fix: 'tell the host of this name (`domains:` in the destination, and publish), or look where the name leads: fenestra trace --at says what it sends',
      about: host.url,
    };
  },
);
