import { isoMoment } from '../../words/moments.js';
import { listed, nameRule, placeOf } from '../naming-context.js';
import { leadsThere } from '../required-records.js';

export const formerServersOld = nameRule(
  {
    name: 'former-servers-old',
    level: 'warning',
    explain:
      'The servers of before still lead to the old place. Nothing shows them any more once the delegation has changed, and resolvers that still ask them send visitors there.',
    example: 'the old zone still has the parked address of www',
    fix: 'Put the new records into the old zone too.',
  },
  function* ({ facts, formerServers, need, target, wait, now }) {
    const old = formerServers.filter(
      ({ outcome, own }) =>
        outcome === 'answers' && own.length > 0 && !leadsThere(own, need, target.addresses),
    );
    if (old.length === 0) return;
    const until = wait && wait.until > now ? ` until ${isoMoment(wait.until).replace(/\.\d+Z/, 'Z')}` : '';
    yield {
      message: `${listed(old.map(placeOf))}, named for ${facts.zone} before, still ${old.length === 1 ? 'leads' : 'lead'} ${facts.name} to ${old[0]?.own.map(({ data }) => data).join(', ') ?? ''}${until === '' ? '' : `, and resolvers may ask them${until}`}`,
      fix:
        until === ''
          ? 'nobody is sent there any more; have the old provider remove the zone'
          : 'put the new records into the old zone too, and let it stay until then',
    };
  },
);
