/** What visitors asked for in vain, from the lines of a log: by how many, and apart from programs that try whatever may be there. */
import { programByName } from '../site/server-program.js';
import { looksSecret } from '../site/names.js';
import type { LoggedRequest } from '../cost/log-line.js';

export interface MissedPath {
  /** As it was asked for, without its query. */
  readonly path: string;
  /** How many addresses of visitors asked; requests, where the log says nothing of them. */
  readonly visitors: number;
  readonly requests: number;
}

export interface MissedPaths {
  /** Those of most visitors first. */
  readonly byVisitors: readonly MissedPath[];
  /** What programs alone asked for that say what they are. */
  readonly byRobots: readonly MissedPath[];
  /** What was only tried: by whoever meets little but mistakes, and files that no site has. */
  readonly tried: readonly MissedPath[];
}

/** More of each are not counted apart. */
const MAX_PATHS = 50_000;
const MAX_VISITORS = 100_000;
/** Visitors of all paths together. */
const MAX_MEETINGS = 2_000_000;
/** So many mistakes and hardly a hit: that is no visitor. */
const MANY_MISTAKES = 10;

interface Seen {
  requests: number;
  robots: number;
  readonly visitors: Set<number>;
}

interface Visitor {
  hits: number;
  mistakes: number;
}

export class MissedCounter {
  readonly #paths = new Map<string, Seen>();
  readonly #numbers = new Map<string, number>();
  readonly #visitors: Visitor[] = [];
  #meetings = 0;

  /** @param who an address or a name of the visitor; '' where the log says none */
  note({ method, path, status, isRobot }: LoggedRequest, who: string): void {
    if (method !== 'GET' && method !== 'HEAD') return;
    const isMissing = status === 404 || status === 410;
    const number = this.#numberOf(who);
    const visitor = this.#visitors[number];
    if (visitor) {
      if (isMissing) visitor.mistakes++;
      else if (status < 400) visitor.hits++;
    }
    if (!isMissing) return;
    let seen = this.#paths.get(path);
    if (!seen) {
      if (this.#paths.size >= MAX_PATHS) return;
      this.#paths.set(path, (seen = { requests: 0, robots: 0, visitors: new Set() }));
    }
    seen.requests++;
    if (isRobot) seen.robots++;
    else if (number >= 0 && !seen.visitors.has(number) && this.#meetings < MAX_MEETINGS) {
      this.#meetings++;
      seen.visitors.add(number);
    }
  }

  /** -1 for nobody in particular. */
  #numberOf(who: string): number {
    if (who === '') return -1;
    const known = this.#numbers.get(who);
    if (known !== undefined) return known;
    if (this.#visitors.length >= MAX_VISITORS) return -1;
    this.#numbers.set(who, this.#visitors.length);
    return this.#visitors.push({ hits: 0, mistakes: 0 }) - 1;
  }

  result(): MissedPaths {
    const found = { byVisitors: [] as MissedPath[], byRobots: [] as MissedPath[], tried: [] as MissedPath[] };
    for (const [path, { requests, robots, visitors }] of this.#paths) {
      const people = [...visitors].filter((number) => !this.#isTrying(number)).length;
      const isCounted = this.#visitors.length > 0;
      const count = isCounted ? people : requests - robots;
      const row = { path, requests, visitors: count };
      if (isNobodys(path)) found.tried.push(row);
      else if (count > 0) found.byVisitors.push(row);
      else if (robots === requests) found.byRobots.push(row);
      else found.tried.push(row);
    }
    for (const list of Object.values(found))
      list.sort((a, b) => b.visitors - a.visitors || b.requests - a.requests || (a.path < b.path ? -1 : 1));
    return found;
  }

  #isTrying(number: number): boolean {
    const { hits = 0, mistakes = 0 } = this.#visitors[number] ?? {};
    return mistakes >= MANY_MISTAKES && mistakes > 4 * hits;
  }
}

/** What is asked for to get in: programs for servers, secrets, dot files. */
function isNobodys(path: string): boolean {
  const key = path.slice(1);
  return (
    programByName(key) !== undefined ||
    looksSecret(key) ||
    key.split('/').some((segment) => segment.startsWith('.') && segment !== '.well-known') ||
    !path.startsWith('/')
  );
}
