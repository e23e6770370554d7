/** What lies in a container beside what the ledger says: a merge of the two, in key order. */
import pMap from 'p-map';
import type { ForeignChange } from '../../core/release/foreign.js';
import { compareKeys } from '../../core/site/key.js';
import type { ObjectHeaders } from '../../core/site/site-object.js';
import { unquoted, type SwiftClient } from './client.js';
import type { LedgerRow, Rows } from './rows.js';
import { listNames, type Listed } from './listing.js';
import { objectPath, SEGMENTS } from './names.js';

const SIDE_BY_SIDE = 8;
/** A listing may come late for some; of more, it is taken at its word. */
const MAX_ASKED = 1000;

/** @param isOwn whether something in no ledger is there because of Fenestra */
export async function listForeign(
  client: SwiftClient,
  bucket: string,
  rows: Rows,
  isOwn: (name: string) => boolean,
): Promise<ForeignChange[]> {
  const found: { readonly key: string; readonly row?: LedgerRow; readonly listed?: Listed }[] = [];
  const known = rows.values();
  let row = known.next();
  const passUpTo = (key: string | undefined): void => {
    for (
      ;
      row.done !== true && (key === undefined || compareKeys(row.value.key, key) < 0);
      row = known.next()
    )
      found.push({ key: row.value.key, row: row.value });
  };
  for await (const listed of listNames(client, bucket)) {
    passUpTo(listed.name);
    const own = row.done !== true && row.value.key === listed.name ? row.value : undefined;
    if (own) row = known.next();
    const isOurs = own ? own.tag === listed.hash : isOwn(listed.name) || listed.name.startsWith(SEGMENTS);
    if (!isOurs) found.push({ key: listed.name, listed, ...(own ? { row: own } : {}) });
  }
  passUpTo(undefined);
  if (found.length > MAX_ASKED)
    return found.map(({ key, row: own, listed }) => ({
      key,
      change: own ? (listed ? 'replaced' : 'removed') : 'added',
      ...(listed ? { now: { ...objectOf(key, listed.bytes, {}, listed.hash), since: own?.since ?? 0 } } : {}),
    }));
  const asked = await pMap(found, ({ key, row: own }) => look(client, bucket, key, own), {
    concurrency: SIDE_BY_SIDE,
  });
  return asked.flatMap((change) => change ?? []);
}

/** What really lies under a key: a listing may be late. Undefined where that is what the ledger says. */
async function look(
  client: SwiftClient,
  bucket: string,
  key: string,
  row: LedgerRow | undefined,
): Promise<ForeignChange | undefined> {
  const { status, headers } = await client.done({
    method: 'HEAD',
    path: objectPath(bucket, key),
    headers: { 'x-newest': 'true' },
    expect: [404, 409],
  });
  if (status === 404) return row ? { key, change: 'removed' } : undefined;
  const tag = unquoted(headers['etag']);
  if (row?.tag === tag) return undefined;
  const since = Date.parse(headers['last-modified'] ?? '') || 0;
  const now = { ...objectOf(key, Number(headers['content-length'] ?? 0), labelsOf(headers), tag), since };
  return { key, change: row ? 'replaced' : 'added', now };
}

/** Of what somebody else has put only the MD5 is known. */
const objectOf = (
  key: string,
  size: number,
  headers: ObjectHeaders,
  tag: string,
): Omit<NonNullable<ForeignChange['now']>, 'since'> => ({
  key,
  size,
  digest: '',
  headers,
  ...(/^[0-9a-f]{32}$/.test(tag) ? { md5: tag } : {}),
});

const LABELS = [
  'Content-Type',
  'Cache-Control',
  'Expires',
  'Content-Encoding',
  'Content-Disposition',
  'Content-Language',
];

const labelsOf = (headers: Readonly<Record<string, string>>): ObjectHeaders =>
  Object.fromEntries(
    LABELS.flatMap((name) => {
      const value = headers[name.toLowerCase()];
      return value === undefined ? [] : [[name, value]];
    }),
  );
