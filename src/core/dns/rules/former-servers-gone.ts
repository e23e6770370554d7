import { isoMoment } from '../../words/moments.js';
import { listed, nameRule, placeOf } from '../naming-context.js';

export const formerServersGone = nameRule(
  {
    name: 'former-servers-gone',
    level: 'warning',
    explain:
      'The servers of before no longer answer for the zone while resolvers may still ask them: their visitors get SERVFAIL until the delegation has run out.',
    example: 'the old zone was deleted on the day of the move',
    fix: 'Set the old zone up again, with the new records, until the moment that is named.',
  },
  function* ({ facts, formerServers, wait, now, former }) {
    if (!wait || wait.until <= now || former?.change !== 'delegation') return;
    const gone = formerServers.filter(({ outcome }) => outcome !== 'answers');
    if (gone.length === 0) return;
    yield {
      message: `${listed(gone.map(placeOf))} no longer ${gone.length === 1 ? 'answers' : 'answer'} for ${facts.zone}, and resolvers may ask until ${isoMoment(wait.until).replace(/\.\d+Z/, 'Z')}`,
      fix: 'have the old provider set the zone up again, holding the new records, until then',
    };
  },
);
