/** Moved addresses: exact ones, and `/folder/*` for everything below. */
import type { MovedSetting } from './bucket-view.js';

export interface Moved {
  readonly status: 301 | 302;
  readonly location: string;
  /** The address in the config that matched. */
  readonly from: string;
}

interface Entry {
  readonly from: string;
  readonly to: string;
  readonly status: 301 | 302;
}

interface Table {
  readonly exact: ReadonlyMap<string, Entry>;
  readonly below: readonly Entry[];
}

const tables = new WeakMap<MovedSetting, Table>();

/** Where a path has moved to; the longest `/*` address wins, an exact one before all. */
export function resolveMoved(
  setting: MovedSetting,
  path: string,
  rawPath: string,
  query: string,
): Moved | undefined {
  const table = tableOf(setting);
  if (table.exact.size === 0 && table.below.length === 0) return undefined;
  const exact = table.exact.get(path);
  if (exact) return { status: exact.status, location: withQuery(exact.to, query), from: exact.from };
  const entry = table.below.find(({ from }) => path.startsWith(from.slice(0, -1)));
  if (!entry) return undefined;
  const depth = entry.from.split('/').length - 1;
  const rest = rawPath.split('/').slice(depth).join('/');
  return {
    status: entry.status,
    location: withQuery(safe(entry.to.replace('*', () => rest)), query),
    from: entry.from,
  };
}

/**
 * A target of our own must not become `//host` or `/\host`, which browsers read as another site's address, whatever the
 * visitor typed in place of the star.
 */
const safe = (location: string): string => location.replace(/^[/\\]{2,}/, '/');

function withQuery(location: string, query: string): string {
  if (query === '' || query === '?') return location;
  const hash = location.indexOf('#');
  const [before, after] = hash < 0 ? [location, ''] : [location.slice(0, hash), location.slice(hash)];
  return before + (before.includes('?') ? `&${query.slice(1)}` : query) + after;
}

function tableOf(setting: MovedSetting): Table {
  const known = tables.get(setting);
  if (known) return known;
  const entries: Entry[] = [
    ...Object.entries(setting.temporarily).map(([from, to]) => ({ from, to, status: 302 as const })),
    ...Object.entries(setting.permanently).map(([from, to]) => ({ from, to, status: 301 as const })),
  ];
  const table = {
    exact: new Map(entries.filter(({ from }) => !from.endsWith('/*')).map((entry) => [entry.from, entry])),
    below: entries.filter(({ from }) => from.endsWith('/*')).sort((a, b) => b.from.length - a.from.length),
  };
  tables.set(setting, table);
  return table;
}

/** Addresses that lead back to themselves without a page between, each circle once. Steps on other sites end it. */
export function listCircles(
  setting: MovedSetting,
): { readonly from: string; readonly steps: readonly string[] }[] {
  const circles: { from: string; steps: readonly string[] }[] = [];
  const seen = new Set<string>();
  for (const from of [...Object.keys(setting.permanently), ...Object.keys(setting.temporarily)]) {
    if (from.endsWith('/*')) continue;
    const steps: string[] = [];
    let path: string | undefined = from;
    while (path !== undefined && !steps.includes(path) && steps.length < MAX_STEPS && !seen.has(path)) {
      steps.push(path);
      const location: string | undefined = resolveMoved(setting, path, path, '')?.location;
      path = location?.startsWith('/') ? location.replace(/[?#].*/, '') : undefined;
    }
    for (const step of steps) seen.add(step);
    const start = path === undefined ? -1 : steps.indexOf(path);
    if (start < 0) continue;
    // A circle is told from an address that stands in the config as it is.
    const circle = steps.slice(start);
    const at = Math.max(
      circle.findIndex((step) => isWritten(setting, step)),
      0,
    );
    const turned = [...circle.slice(at), ...circle.slice(0, at)];
    circles.push({ from: turned[0] ?? from, steps: turned });
  }
  return circles;
}

const MAX_STEPS = 100;
const isWritten = ({ permanently, temporarily }: MovedSetting, address: string): boolean =>
  Object.hasOwn(permanently, address) || Object.hasOwn(temporarily, address);
