/** What is in a container, a page at a time and never all at once. */
import { unquoted, type SwiftClient } from './client.js';
import { containerPath } from './names.js';

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
  readonly name?: string;
  readonly bytes?: number;
  readonly hash?: string;
  readonly slo_etag?: string;
  readonly last_modified?: string;
}

/** In the order of the names' UTF-8 bytes. @param prefix with which all of them begin */
export async function* listNames(
  client: SwiftClient,
  container: string,
  prefix = '',
): AsyncGenerator<Listed> {
  const ask = async (marker: string): Promise<readonly Entry[]> => {
    const query = new URLSearchParams({ format: 'json', limit: String(PAGE), marker, prefix });
    const { status, bytes } = await client.bytes({
      method: 'GET',
      path: `${containerPath(container)}?${query}`,
      headers: { 'x-newest': 'true' },
      expect: [404],
    });
    return status === 404 || bytes.length === 0 ? [] : (JSON.parse(bytes.toString()) as Entry[]);
  };
  let next: Promise<readonly Entry[]> | undefined = ask('');
  while (next) {
    const entries: readonly Entry[] = await next;
    const last = entries.at(-1)?.name;
    // The next page comes while this one is looked at.
    next = last === undefined || entries.length < PAGE ? undefined : ask(last);
    // What fails meanwhile fails where it is waited for.
    next?.catch(() => undefined);
    for (const { name, bytes: size = 0, hash = '', slo_etag, last_modified = '' } of entries)
      if (name !== undefined)
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
    const entries = status === 204 ? [] : (JSON.parse(bytes.toString()) as Entry[]);
    for (const { name } of entries) if (name !== undefined) yield name;
    const last = entries.at(-1)?.name;
    if (last === undefined || entries.length < PAGE) return;
    marker = last;
  }
}
