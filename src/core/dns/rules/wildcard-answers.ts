import { nameRule } from '../naming-context.js';

export const wildcardAnswers = nameRule(
  {
    name: 'wildcard-answers',
    level: 'warning',
    explain:
      'The zone answers for names that nobody has made (a record for *), so a name written wrong seems to be there.',
    example: '* IN CNAME wendle-mill-live.web.store.example.',
    fix: 'Take the wildcard out, and name what there is.',
  },
  function* ({ facts, need }) {
    const server = facts.servers.find(({ wild }) => wild.length > 0);
    if (!server) return;
    const [record] = server.wild;
    const hides = need.name !== facts.zone && server.own.length > 0 && server.own[0]?.data === record?.data;
    yield {
      message: `${facts.zone} answers for every name, also for those that nobody has made, with ${record?.type ?? ''} ${record?.data ?? ''}${hides ? `; ${facts.name} says the same, so whether it has a record of its own cannot be seen` : ''}`,
      fix: `take the record for *.${facts.zone} out, so that a name written wrong is seen to be missing`,
      about: facts.zone,
    };
  },
);
