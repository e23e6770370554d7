import { isoMoment } from '../../words/moments.js';
import { nameRule } from '../naming-context.js';

export const changeUnderWay = nameRule(
  {
    name: 'change-under-way',
    level: 'note',
    explain: 'The name servers are right, and resolvers may still hold what was before.',
    example: 'the registrar has changed the servers ten minutes ago',
    fix: 'Wait until the moment that is named; `fenestra domain check --wait` does.',
  },
  function* ({ facts, wait, now }) {
    if (!wait || wait.until <= now) return;
    yield {
      message: `resolvers that keep to the TTLs lead ${facts.name} to the new place by ${isoMoment(wait.until).replace(/\.\d+Z/, 'Z')}: ${wait.because}`,
      fix: 'wait: fenestra domain check --wait; some resolvers serve what has expired, so single visitors may be later',
      about: facts.name,
    };
  },
);
