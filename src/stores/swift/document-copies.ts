/** Documents that lie a second time under the names that the store asks for: whether they are what they are copies of. */
import pMap from 'p-map';
import { changedLabels } from './labels.js';
import { unquoted, type SwiftClient } from './client.js';
import { listNames } from './listing.js';
import { objectPath } from './names.js';
import type { LedgerRow, Rows } from './rows.js';
import { errorCopies, folderPage, isFolderPage, type WebNames } from './web-names.js';

const SIDE_BY_SIDE = 8;

export interface DocumentCopy {
  readonly name: string;
  /** What it is a copy of. */
  readonly of: LedgerRow;
}

export interface CopiesInput {
  readonly client: SwiftClient;
  readonly bucket: string;
  readonly rows: Rows;
  /** The names of the site's own documents, and those under which the container answers with them. */
  readonly plain: WebNames;
  readonly now: WebNames;
}

/** Copies that are gone, or are others than what they are copies of. */
export async function listWrongCopies(input: CopiesInput): Promise<DocumentCopy[]> {
  const { rows, plain, now } = input;
  const error = plain.error === null ? undefined : rows.get(plain.error);
  const copies = error
    ? errorCopies(now)
        .filter((name) => !rows.has(name))
        .map((name) => ({ name, of: error }))
    : [];
  const wrong = await pMap(copies, async (copy) => ((await isSame(input, copy)) ? undefined : copy), {
    concurrency: SIDE_BY_SIDE,
  });
  return [...wrong.flatMap((copy) => copy ?? []), ...(await listWrongPages(input))];
}

async function isSame({ client, bucket }: CopiesInput, { name, of }: DocumentCopy): Promise<boolean> {
  const { status, headers } = await client.done({
    method: 'HEAD',
    path: objectPath(bucket, name),
    headers: { 'x-newest': 'true' },
    expect: [404, 409],
  });
  return status < 300 && unquoted(headers['etag']) === of.tag && !changedLabels(of.headers, headers);
}

/** Pages of folders, where the release has names of its own for them. */
async function listWrongPages({ client, bucket, rows, plain, now }: CopiesInput): Promise<DocumentCopy[]> {
  if (now.index === plain.index) return [];
  const wanted = new Map<string, LedgerRow>();
  for (const [key, row] of rows) if (isFolderPage(key, plain)) wanted.set(folderPage(key, now), row);
  for await (const { name, hash } of listNames(client, bucket))
    if (wanted.get(name)?.tag === hash) wanted.delete(name);
  return [...wanted].map(([name, of]) => ({ name, of }));
}

/** Copies documents to where visitors meet them; what is gone itself is left to whoever sends it again. */
export const mendCopies = async (
  { client, bucket }: CopiesInput,
  copies: readonly DocumentCopy[],
): Promise<void> =>
  void (await pMap(
    copies,
    ({ name, of }) =>
      client.done({
        method: 'PUT',
        path: objectPath(bucket, name),
        headers: {
          'x-copy-from': objectPath(bucket, of.key),
          'content-length': '0',
          'if-match': `"${of.tag}"`,
        },
        expect: [404, 412],
      }),
    { concurrency: SIDE_BY_SIDE },
  ));
