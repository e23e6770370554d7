/** The order in which bodies go to a store that shows them one by one: nothing before what it loads. */
import { essence, isText } from '../assign/media-type.js';
import type { BucketSettings } from '../hosting/bucket-view.js';
import type { SiteObject } from '../site/site-object.js';
import { listComponents } from '../versioning/components.js';

/** What is known without reading: 0 for what loads nothing, 1 for what may, 2 for pages, 3 for documents of folders and mistakes. */
function rank({ key, headers }: SiteObject, { documents }: BucketSettings): number {
  if (key === documents.error || key === documents.index || key.endsWith(`/${documents.index}`)) return 3;
  const type = essence(headers['Content-Type'] ?? '');
  if (type === 'text/html' || type === 'application/xhtml+xml') return 2;
  return isText(type) ? 1 : 0;
}

/**
 * Stages of work: each is done before the next begins, and in each any order will do. What nothing loads comes with
 * the first, what loads something after it, and of those that load each other in a circle all come at once.
 * @param loads the keys that an object makes a browser load, by its own
 */
export function stagesOfWork<T extends { readonly object: SiteObject }>(
  bodies: Iterable<T>,
  settings: BucketSettings,
  loads: ReadonlyMap<string, Iterable<string>> = new Map(),
): T[][] {
  const all = [...bodies];
  const numbers = new Map(all.map(({ object }, number) => [object.key, number]));
  const edges = all.map(({ object }) =>
    [...(loads.get(object.key) ?? [])].flatMap((key) => numbers.get(key) ?? []),
  );
  const stages = new Array<number>(all.length).fill(0);
  // A chain of what loads each other is no longer than there are objects.
  const span = all.length + 1;
  // Innermost first, so that the stages of what it leads to are known.
  for (const component of listComponents(edges)) {
    const own = new Set(component);
    let stage = 0;
    for (const number of component) {
      const object = all[number]?.object;
      if (object) stage = Math.max(stage, rank(object, settings) * span);
      for (const target of edges[number] ?? [])
        if (!own.has(target)) stage = Math.max(stage, (stages[target] ?? 0) + 1);
    }
    for (const number of component) stages[number] = stage;
  }
  const grouped = new Map<number, T[]>();
  for (const [number, body] of all.entries()) {
    const stage = stages[number] ?? 0;
    const group = grouped.get(stage);
    if (group) group.push(body);
    else grouped.set(stage, [body]);
  }
  return [...grouped].sort(([a], [b]) => a - b).map(([, group]) => group);
}
