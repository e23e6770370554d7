import { countOf } from '../../words/counts.js';
import { siteRule } from '../rule.js';

export const headerNotSent = siteRule(
  {
    name: 'header-not-sent',
    level: 'note',
    explain:
      'The config asks for the companion of HTTP/1.0 (`http10: true`), and the host of this destination never sends Pragma. Expires goes on telling such caches that they have to ask.',
    example: '{ to: "*.html", cache: { fresh: revalidate, http10: true } } for an OpenStack Swift',
    fix: 'Leave `http10` out, or know that Expires alone is sent.',
  },
  function* ({ objects, settings }) {
    if (settings.quirks.pragmaHeader !== 'dropped') return;
    const asked = objects.filter(({ headers }) => headers['Pragma'] !== undefined);
    const [first] = asked;
    if (!first) return;
    const others = asked.length > 1 ? ` and of ${countOf(asked.length - 1, 'other')}` : '';
    yield {
      key: first.key,
      message: `Pragma of this object${others} is never sent by the host of this destination`,
      fix: `leave http10 out of ${first.decision.decidedBy.cache?.by ?? 'the rule'}; Expires is sent as it is`,
    };
  },
);
