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

/** In which stage of the work each of some objects comes, in the order in which they were given. */
export interface Stages {
  /** How many there are. */
  readonly count: number;
  /** Its stage, from 0, by its place. */
  readonly of: Int32Array;
}

const NONE: readonly number[] = [];

/**
 * Stages of work: each is done before the next begins, and in each any order will do. What nothing loads comes with
 * the first, what loads something after it, and of those that load each other in a circle all come at once.
 * @param loads the keys that an object makes a browser load, by its own
 */
export function decideStages(
  objects: readonly SiteObject[],
  settings: BucketSettings,
  loads: ReadonlyMap<string, Iterable<string>> = new Map(),
): Stages {
  const stages = Float64Array.from(objects, (object) => rank(object, settings));
  if (loads.size > 0) deepen(stages, objects, loads);
  const known = [...new Set(stages)].sort((a, b) => a - b);
  const numbers = new Map(known.map((stage, number) => [stage, number]));
  return { count: known.length, of: Int32Array.from(stages, (stage) => numbers.get(stage) ?? 0) };
}

/** Puts what loads something behind it. */
function deepen(
  stages: Float64Array,
  objects: readonly SiteObject[],
  loads: ReadonlyMap<string, Iterable<string>>,
): void {
  const numbers = new Map(objects.map(({ key }, number) => [key, number]));
  const edges = objects.map(({ key }) => {
    const loaded = loads.get(key);
    return loaded ? [...loaded].flatMap((each) => numbers.get(each) ?? []) : NONE;
  });
  // A chain of what loads each other is no longer than there are objects.
  const span = objects.length + 1;
  // Innermost first, so that the stages of what it leads to are known.
  for (const component of listComponents(edges)) {
    const own = new Set(component);
    let stage = 0;
    for (const number of component) {
      stage = Math.max(stage, (stages[number] ?? 0) * span);
      for (const target of edges[number] ?? NONE)
        if (!own.has(target)) stage = Math.max(stage, (stages[target] ?? 0) + 1);
    }
    for (const number of component) stages[number] = stage;
  }
}

/** The same for few things: each stage as a list. */
export function stagesOfWork<T extends { readonly object: SiteObject }>(
  all: readonly T[],
  settings: BucketSettings,
  loads?: ReadonlyMap<string, Iterable<string>>,
): T[][] {
  const { count, of } = decideStages(
    all.map(({ object }) => object),
    settings,
    loads,
  );
  const stages = Array.from({ length: count }, (): T[] => []);
  for (const [at, each] of all.entries()) stages[of[at] ?? 0]?.push(each);
  return stages;
}
