import { parseHttpDate } from '../../caching/http-date.js';
import { objectRule } from '../rule.js';

export const expiresPast = objectRule(
  {
    name: 'expires-past',
    level: 'warning',
    explain: 'An `until` date has passed: the object now counts as stale from the moment it arrives.',
    example: 'cache: until 2024-12-24',
    fix: 'Set a later date, or a duration, which never runs out.',
  },
  ({ headers, decision }, { now }) => {
    const written = headers['Expires'];
    // Beside Cache-Control, an Expires in the past is the HTTP/1.0 companion and meant so.
    const at =
      written === undefined || headers['Cache-Control'] !== undefined ? undefined : parseHttpDate(written);
    if (at === undefined || at > now) return undefined;
    return {
      message: `its date has passed: Expires ${written}, by ${decision.decidedBy.cache?.by ?? 'a rule'}`,
      fix: 'set a later date after `until`, or a duration such as 30 days',
    };
  },
);
