/** Where moved addresses lead, step by step. */
import { resolve } from '../hosting/resolve.js';
import { resolveMoved } from '../hosting/moved.js';
import type { BucketView } from '../hosting/bucket-view.js';
import type { Answer } from '../hosting/answer.js';

export interface MovedPath {
  /** As in the config. */
  readonly from: string;
  /** Every address on the way, the first included; ends before one that was met already. */
  readonly steps: readonly string[];
  readonly loops: boolean;
  /** The answer at the end; undefined where that is on another site. */
  readonly end: Answer | undefined;
}

/** What stands for `*` in a trial. */
export const ANYTHING = 'anything';
const MAX_STEPS = 20;

/** Follows every moved address of the settings. @param hosts hosts at which this site itself answers */
export function* followMoved(view: BucketView, hosts: ReadonlySet<string> = new Set()): Generator<MovedPath> {
  const { moved } = view.settings;
  for (const from of [...Object.keys(moved.permanently), ...Object.keys(moved.temporarily)])
    yield follow(view, from, hosts);
}

function follow(view: BucketView, from: string, hosts: ReadonlySet<string>): MovedPath {
  const steps: string[] = [];
  let path: string | undefined = from.replace('*', ANYTHING);
  while (path !== undefined && steps.length < MAX_STEPS) {
    if (steps.includes(path)) return { from, steps, loops: true, end: undefined };
    steps.push(path);
    const target = encodeURI(path);
    const moved = resolveMoved(view.settings.moved, path, target, '');
    if (!moved)
      return { from, steps, loops: false, end: resolve({ method: 'GET', target, headers: {} }, view) };
    path = ownPath(moved.location, hosts);
  }
  return { from, steps, loops: path !== undefined, end: undefined };
}

/** The path of a target on this site, decoded; undefined on another one. */
function ownPath(location: string, hosts: ReadonlySet<string>): string | undefined {
  try {
    const url = new URL(location, 'http://site.invalid');
    if (url.host !== 'site.invalid' && !hosts.has(url.host)) return undefined;
    return decodeURIComponent(url.pathname);
  } catch {
    return undefined;
  }
}
