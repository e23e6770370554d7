/** What is in a container, a page at a time and never all at once. */
import type { FenestraError } from '../../core/errors/catalogue.js';
import { compareKeys } from '../../core/site/key.js';
import { unquoted, type SwiftClient } from './client.js';
import { containerPath } from './names.js';
import { storeRefused } from './refused.js';

export interface Listed {
  readonly name: string;
  readonly bytes: number;
  /** The store's ETag, without quotes. */
  readonly hash: string;
  /** When it was put, as the store says it. */
  readonly lastModified: string;
}

const PAGE = 10_000;

interface Entry {
  readonly name: string;
  readonly bytes?: number;
  readonly hash?: string;
  readonly slo_etag?: string;
  readonly last_modified?: string;
}

const noList = ({ store }: SwiftClient, container: string, said: string): FenestraError =>
  storeRefused(store, `GET /${container}`, 200, said);

const isText = (value: unknown): boolean => value === undefined || typeof value === 'string';

/** @throws FenestraError STORE_REFUSED where it is no page of a listing */
function readPage(client: SwiftClient, container: string, bytes: Buffer): Entry[] {
  let page: unknown;
  try {
    page = JSON.parse(bytes.toString());
  } catch {
    throw noList(client, container, 'something that is no listing');
  }
  if (!Array.isArray(page)) throw noList(client, container, 'something that is no listing');
  const entries: Entry[] = [];
  for (const each of page as readonly unknown[]) {
    const {
      name,
      bytes: size,
      hash,
      slo_etag,
      last_modified,
      subdir,
    } = (each ?? {}) as Record<string, unknown>;
    if (typeof subdir === 'string') continue;
    const isEntry =
      typeof name === 'string' &&
      name !== '' &&
      [hash, slo_etag, last_modified].every(isText) &&
      (size === undefined || (typeof size === 'number' && size >= 0));
    if (!isEntry) throw noList(client, container, 'a listing with something in it that is no object');
    entries.push(each as Entry);
  }
  return entries;
}

/** Names come in the order of their UTF-8 bytes, each once: one that comes again would come for ever. */
function assertOrder(
  client: SwiftClient,
  container: string,
  before: string,
  entries: readonly Entry[],
): void {
  let last = before;
  for (const { name } of entries) {
    if (last !== '' && compareKeys(last, name) >= 0)
      throw noList(client, container, `a listing that is out of order: ${name} comes after ${last}`);
    last = name;
  }
}

/** A part of a listing: the names behind one and up to another, itself among them; undefined up to the last. */
interface Range {
  readonly after: string;
  readonly upTo: string | undefined;
}

/** How many known names are between two places where a listing is cut: a page, with room for names that came since. */
const RANGE = 8000;
/** How many parts are under way at the same time. */
const SIDE_BY_SIDE = 3;
/** No name has a NUL in it, so that nothing lies between a name and the same with this behind it. */
const JUST_BEHIND = '\u0001';

function rangesOf(known: Iterable<string>): Range[] {
  const ranges: Range[] = [];
  let [after, count] = ['', 0];
  for (const name of known)
    if (++count % RANGE === 0) {
      ranges.push({ after, upTo: name });
      after = name;
    }
  return [...ranges, { after, upTo: undefined }];
}

/**
 * In the order of the names' UTF-8 bytes.
 * @param prefix with which all of them begin
 * @param known names that may lie there, in that order: a long listing is then asked for in several parts at once
 */
export async function* listNames(
  client: SwiftClient,
  container: string,
  prefix = '',
  known: Iterable<string> = [],
): AsyncGenerator<Listed> {
  const ask = async (marker: string, { upTo }: Range): Promise<Buffer> => {
    const query = new URLSearchParams({ format: 'json', limit: String(PAGE), marker, prefix });
    if (upTo !== undefined) query.set('end_marker', upTo + JUST_BEHIND);
    const { status, bytes } = await client.bytes({
      method: 'GET',
      path: `${containerPath(container)}?${query}`,
      headers: { 'x-newest': 'true' },
      expect: [404],
    });
    return status === 404 ? Buffer.alloc(0) : bytes;
  };
  const begin = (range: Range): Promise<Buffer> => {
    const page = ask(range.after, range);
    // What fails meanwhile fails where it is waited for.
    page.catch(() => undefined);
    return page;
  };
  const ranges = rangesOf(known);
  const begun: (Promise<Buffer> | undefined)[] = [];
  for (const [at, range] of ranges.entries()) {
    while (begun.length < Math.min(ranges.length, at + SIDE_BY_SIDE)) {
      const next = ranges[begun.length];
      if (next) begun.push(begin(next));
    }
    let page = begun[at];
    // What was read is not held on to.
    begun[at] = undefined;
    for (let before = range.after; page;) {
      const bytes = await page;
      const entries = bytes.length === 0 ? [] : readPage(client, container, bytes);
      assertOrder(client, container, before, entries);
      for (const { name, bytes: size = 0, hash = '', slo_etag, last_modified = '' } of entries) {
        // A store that knows no end gives more than it was asked for.
        if (range.upTo !== undefined && compareKeys(name, range.upTo) > 0) break;
        yield { name, bytes: size, hash: unquoted(slo_etag ?? hash), lastModified: last_modified };
      }
      before = entries.at(-1)?.name ?? before;
      const isWhole =
        entries.length < PAGE || (range.upTo !== undefined && compareKeys(before, range.upTo) >= 0);
      page = isWhole ? undefined : ask(before, range);
    }
  }
}

/** The names of an account's containers. */
export async function* listContainers(client: SwiftClient): AsyncGenerator<string> {
  let marker = '';
  for (;;) {
    const query = new URLSearchParams({ format: 'json', limit: String(PAGE), marker });
    const { bytes, status } = await client.bytes({ method: 'GET', path: `?${query}` });
    const entries = status === 204 ? [] : readPage(client, '', bytes);
    assertOrder(client, '', marker, entries);
    for (const { name } of entries) yield name;
    const last = entries.at(-1)?.name;
    if (last === undefined || entries.length < PAGE) return;
    marker = last;
  }
}
