/** What an address of the site leads to, and what is wrong with referring to it. */
import { appOf } from '../hosting/app-page.js';
import type { BucketView } from '../hosting/bucket-view.js';
import { resolve } from '../hosting/resolve.js';
import type { KeyIndex } from '../site/near-key.js';
import type { StoredObject } from '../site/site-object.js';
import type { TargetProblem } from './release-context.js';

export interface Target {
  readonly problem: TargetProblem | undefined;
  readonly key: string | undefined;
  readonly object: StoredObject | undefined;
  readonly detail?: string;
}

/**
 * @param path percent-encoded, with its leading slash
 * @param index the keys, asked for only when one is missing
 */
export function decideTarget(path: string, view: BucketView, index: () => KeyIndex): Target {
  const answer = resolve({ method: 'GET', target: path, headers: {} }, view);
  const key = answer.key ?? '';
  const object = answer.body.kind === 'object' ? answer.body.object : undefined;
  const found = (trouble: TargetProblem | undefined, detail?: string): Target => ({
    problem: trouble,
    key,
    object: trouble ? undefined : object,
    ...(detail === undefined ? {} : { detail }),
  });
  switch (answer.reason) {
    case 'object':
    case 'app':
      return found(undefined);
    case 'index':
      return found(path.endsWith('/') ? undefined : 'folder');
    case 'folder':
      return found('folder');
    case 'moved':
      // Where it covers an object, that is the fault, and not the reference to the object.
      return view.find(key === '' || key.endsWith('/') ? key + view.settings.documents.index : key)
        ? found(undefined)
        : found('moved', answer.headers[1] ?? '');
    case 'malformed':
    case 'too-long':
      return found('malformed');
    case 'unreadable': {
      const folder = `${key.replace(/\/$/, '')}/${view.settings.documents.index}`;
      return found(view.find(key) || view.find(folder) ? 'unreadable' : 'missing');
    }
    default:
      // The page of an app, shown as the error document.
      if (object && appOf(view.settings, key)?.page === object.key) return found(undefined);
      return found(index().sameLetters(key) ? 'case' : 'missing');
  }
}
