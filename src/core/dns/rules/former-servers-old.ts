import { isoMoment } from '../../words/moments.js';
import { listed, listOldAnswers, nameRule, placeOf } from '../naming-context.js';

export const formerServersOld = nameRule(
  {
    name: 'former-servers-old',
    level: 'warning',
    explain:
      'The servers of before still lead to the old place. Nothing shows them any more once the delegation has changed, and resolvers that still ask them send visitors there.',
    example: 'the old zone still has the parked address of www',
    fix: 'Put the new records into the old zone too.',
  },
  function* (context) {
    const { facts, wait, now } = context;
    const old = listOldAnswers(context);
    if (old.length === 0) return;
    const until = wait && wait.until > now ? isoMoment(wait.until).replace(/\.\d+Z/, 'Z') : undefined;
    yield {
      message: `${listed(old.map(placeOf))}, named for ${facts.zone} before, still ${old.length === 1 ? 'leads' : 'lead'} ${facts.name} to ${old[0]?.own.map(({ data }) => data).join(', ') ?? ''}${until === undefined ? '' : `; until ${until} any resolver may ask them`}, and some resolvers ask them for as long as they answer`,
      fix:
        until === undefined
          ? 'put the new records into the old zone too, or have the old provider remove it'
          : `put the new records into the old zone too, and let it stay until ${until}`,
    };
  },
);
