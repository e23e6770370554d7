/** Addresses that send visitors on, one by one and by the folder. */
import type { MovedSetting } from '../hosting/bucket-view.js';
import { isRedirect, type SeenAnswer } from './seen.js';

/** A folder that may have moved as a whole: `/old/*` to `/new/*`. */
export interface MovedFolder {
  readonly from: string;
  readonly to: string;
  readonly permanent: boolean;
}

interface Move {
  readonly from: string;
  /** A path where it is of the same host, else a whole address. */
  readonly to: string;
  readonly permanent: boolean;
}

/** @param origin of the site */
export function listMoves(answers: Iterable<SeenAnswer>, origin: string): Move[] {
  const moves: Move[] = [];
  for (const answer of answers) {
    const to = isRedirect(answer) ? targetOf(answer, origin) : undefined;
    // To the same address with a slash is what hosts do by themselves.
    if (to === undefined || to === `${answer.path}/` || to === answer.path || answer.path.includes('*'))
      continue;
    moves.push({ from: readable(answer.path), to: readable(to), permanent: isForGood(answer.status) });
  }
  return moves;
}

const isForGood = (status: number): boolean => status === 301 || status === 308;

/** Where a redirect goes to; undefined where it says nothing that can be read. */
export function targetOf({ path, headers }: SeenAnswer, origin: string): string | undefined {
  const { location } = headers;
  if (location === undefined || !URL.canParse(location, origin + path)) return undefined;
  const url = new URL(location, origin + path);
  if (url.protocol !== 'http:' && url.protocol !== 'https:') return undefined;
  return url.origin === origin ? url.pathname + url.search + url.hash : url.href;
}

/** As people write it in a config, where that means the same. */
function readable(address: string): string {
  try {
    const decoded = decodeURI(address);
    return /[\s\p{C}*]/u.test(decoded) ? address : decoded;
  } catch {
    return address;
  }
}

/** Folders of which what lies below may all have moved to another: whoever asks for one more address knows. */
export function listMovedFolders(moves: readonly Move[]): MovedFolder[] {
  const found = new Map<string, MovedFolder>();
  for (const { from, to, permanent } of moves) {
    const rest = sharedEnd(from, to);
    if (rest === undefined) continue;
    const folder = {
      from: `${from.slice(0, from.length - rest.length)}*`,
      to: `${to.slice(0, to.length - rest.length)}*`,
      permanent,
    };
    if (folder.from !== '/*') found.set(JSON.stringify(folder), folder);
  }
  return [...found.values()];
}

/** The longest end of both that begins a segment; undefined where there is none. */
function sharedEnd(from: string, to: string): string | undefined {
  let length = 0;
  while (length < Math.min(from.length, to.length) && from.at(-1 - length) === to.at(-1 - length)) length++;
  const end = from.slice(from.length - length);
  const slash = end.indexOf('/');
  const rest = slash < 0 ? '' : end.slice(slash + 1);
  return rest === '' || /[?#*]/.test(to) || from === to ? undefined : rest;
}

/** @param folders that have moved as a whole, as was seen */
export function writeMoved(moves: readonly Move[], folders: readonly MovedFolder[]): MovedSetting {
  const permanently: Record<string, string> = Object.create(null) as Record<string, string>;
  const temporarily: Record<string, string> = Object.create(null) as Record<string, string>;
  const tableOf = (permanent: boolean): Record<string, string> => (permanent ? permanently : temporarily);
  for (const { from, to, permanent } of folders) tableOf(permanent)[from] = to;
  for (const { from, to, permanent } of moves) {
    const isOfFolder = folders.some(
      (folder) =>
        folder.permanent === permanent &&
        from.startsWith(folder.from.slice(0, -1)) &&
        to === folder.to.slice(0, -1) + from.slice(folder.from.length - 1),
    );
    if (!isOfFolder) tableOf(permanent)[from] = to;
  }
  return { permanently: { ...permanently }, temporarily: { ...temporarily } };
}
