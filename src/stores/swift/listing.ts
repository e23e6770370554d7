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

/** A page that is longer is followed by another, as a rule: no entry is written in less than a hundred bytes. */
const SURELY_WHOLE = PAGE * 100;
/** Where the last entry begins, counted from the end: a name has a kilobyte, and six letters for each at the worst. */
const TAIL = 8192;

/** The name of the last entry, before the page is read; undefined where it is not easily seen. */
function lastName(page: Buffer): string | undefined {
  const tail = page.subarray(-TAIL).toString();
  for (
    let from = tail.lastIndexOf('{');
    from >= 0;
    from = from === 0 ? -1 : tail.lastIndexOf('{', from - 1)
  ) {
    try {
      const [entry] = JSON.parse(`[${tail.slice(from)}`) as unknown[];
      const { name } = (entry ?? {}) as Record<string, unknown>;
      return typeof name === 'string' && name !== '' ? name : undefined;
    } catch {
      // A brace within a name.
    }
  }
  return undefined;
}

/** In the order of the names' UTF-8 bytes. @param prefix with which all of them begin */
export async function* listNames(
  client: SwiftClient,
  container: string,
  prefix = '',
): AsyncGenerator<Listed> {
  const ask = async (marker: string): Promise<Buffer> => {
    const query = new URLSearchParams({ format: 'json', limit: String(PAGE), marker, prefix });
    const { status, bytes } = await client.bytes({
      method: 'GET',
      path: `${containerPath(container)}?${query}`,
      headers: { 'x-newest': 'true' },
      expect: [404],
    });
    return status === 404 ? Buffer.alloc(0) : bytes;
  };
  let next: Promise<Buffer> | undefined = ask('');
  let before = '';
  while (next) {
    const bytes: Buffer = await next;
    const marker = bytes.length < SURELY_WHOLE ? undefined : lastName(bytes);
    // The next page comes while this one is read.
    const early = marker === undefined ? undefined : ask(marker);
    // What fails meanwhile fails where it is waited for.
    early?.catch(() => undefined);
    const entries = bytes.length === 0 ? [] : readPage(client, container, bytes);
    assertOrder(client, container, before, entries);
    const last = entries.at(-1)?.name;
    before = last ?? before;
    next = last === undefined || entries.length < PAGE ? undefined : last === marker ? early : ask(last);
    next?.catch(() => undefined);
    for (const { name, bytes: size = 0, hash = '', slo_etag, last_modified = '' } of entries)
      yield {
        name,
        bytes: size,
        hash: unquoted(slo_etag ?? hash),
        lastModified: last_modified,
      };
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
