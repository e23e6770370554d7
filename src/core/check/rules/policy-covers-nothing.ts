import { createReadPolicy } from '../../access/read-policy.js';
import { folderMeant } from '../../assign/pattern.js';
import { siteRule, type SurveyContext } from '../rule.js';
import { namedBucket } from './policy-names-bucket.js';

export const policyCoversNothing = siteRule(
  {
    name: 'policy-covers-nothing',
    level: 'error',
    explain:
      'The public-read policy covers no object at all, so an open bucket still answers 403 to everything: it names the bucket or a folder and not what is in it.',
    example: 'readable: { keys: ["wendle-mill"] }',
    fix: 'Name what is to be read: readable: { keys: ["**"] }.',
  },
  function* (context) {
    if (!coversNothing(context)) return;
    const { objects, settings, buckets } = context;
    const keys = objects.map(({ key }) => key);
    const meant = (settings.readable?.keys ?? []).map((pattern) =>
      namedBucket(pattern, buckets) === undefined
        ? (folderMeant(pattern, keys) ?? '**')
        : pattern.replace(/^\/?[^/]+\/?/, '') || '**',
    );
    yield {
      message: 'the public may read nothing of the site: an open bucket answers 403 to everything',
      fix: `readable: { keys: ${JSON.stringify([...new Set(meant.length > 0 ? meant : ['**'])])} }, with what stays private under except`,
    };
  },
);

const known = new WeakMap<SurveyContext, boolean>();

/** Whether nobody may read anything: then every other fault of the policy has this cause. */
export function coversNothing(context: SurveyContext): boolean {
  let nothing = known.get(context);
  if (nothing === undefined) {
    const { isReadable } = createReadPolicy(context.settings.readable);
    nothing = context.objects.length > 0 && !context.objects.some(({ key }) => isReadable(key));
    known.set(context, nothing);
  }
  return nothing;
}
