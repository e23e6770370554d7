import { createReadPolicy } from '../../access/read-policy.js';
import { isLoad } from '../release-context.js';
import { linkRule } from '../rule.js';

export const referencePrivate = linkRule(
  {
    name: 'reference-private',
    level: 'error',
    explain: 'A reference leads to an object that the public may not read, so visitors get 403.',
    example: '<a href="/drafts/plan.html"> with except: ["drafts/**"]',
    fix: 'Take the reference out, or let the public read the object.',
  },
  ({ problem: trouble, use, from }, { view }) =>
    trouble === 'unreadable' && !(from === view.settings.documents.error && isLoad(use)),
  ({ raw, key }, { view }) => ({
    message: `"${raw}" leads to what the public may not read: ${createReadPolicy(view.settings).explain(key ?? '').because}`,
    fix: `take the reference out, or let the public read ${key ?? ''} (readable)`,
  }),
);
