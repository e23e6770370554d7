/** What lies in a container beside what the ledger says: a merge of the two, in key order. */
import pMap from 'p-map';
import type { ForeignChange } from '../../core/release/foreign.js';
import { compareKeys } from '../../core/site/key.js';
import type { ObjectHeaders } from '../../core/site/site-object.js';
import type { Looks } from '../port.js';
import { unquoted, type SwiftClient } from './client.js';
import { changedLabels, labelsOf } from './labels.js';
import { plainRow, type LedgerRow, type Rows } from './rows.js';
import { listNames, type Listed } from './listing.js';
import { objectPath, SEGMENTS } from './names.js';

const SIDE_BY_SIDE = 8;
/** A listing may come late for some; of more, it is taken at its word. */
const FEW: Looks = { most: 1000, unchanged: false };

export interface ForeignInput {
  readonly client: SwiftClient;
  readonly bucket: string;
  readonly rows: Rows;
  /** Whether something in no ledger is there because of Fenestra. */
  readonly isOwn: (name: string) => boolean;
  /** When the release was complete, by the store's own clock: milliseconds since the epoch. */
  readonly completeAt: number;
}

/** Something that may be other than the ledger says. */
interface Suspect {
  readonly key: string;
  readonly row?: LedgerRow;
  readonly listed?: Listed;
  /** Whether the listing itself says so: its bytes are others, or it was touched since. */
  readonly isChanged: boolean;
}

export async function listForeign(input: ForeignInput, looks = FEW): Promise<ForeignChange[]> {
  const { client, bucket } = input;
  const suspects = await listSuspects(input, looks.unchanged);
  const changed = suspects.filter(({ isChanged }) => isChanged);
  const isFew = changed.length <= looks.most;
  const rest = suspects.filter(({ isChanged }) => !isChanged).sort(newestFirst);
  const asked = isFew ? [...changed, ...rest.slice(0, looks.most - changed.length)] : [];
  let looked = 0;
  const seen = await pMap(
    asked,
    async ({ key, row }) => {
      const change = await look(client, bucket, key, row);
      looks.progress?.(++looked, asked.length);
      return change;
    },
    { concurrency: SIDE_BY_SIDE },
  );
  return (isFew ? seen : changed.map(asListed))
    .flatMap((change) => change ?? [])
    .sort((a, b) => compareKeys(a.key, b.key));
}

/** @param all with what the listing shows as it was left @returns in key order */
async function listSuspects(
  { client, bucket, rows, isOwn, completeAt }: ForeignInput,
  all: boolean,
): Promise<Suspect[]> {
  const found: Suspect[] = [];
  const known = rows.values();
  let row = known.next();
  const passUpTo = (key: string | undefined): void => {
    for (
      ;
      row.done !== true && (key === undefined || compareKeys(row.value.key, key) < 0);
      row = known.next()
    )
      found.push({ key: row.value.key, row: row.value, isChanged: true });
  };
  for await (const listed of listNames(client, bucket, '', rows.keys())) {
    const { name: key } = listed;
    passUpTo(key);
    const own = row.done !== true && row.value.key === key ? row.value : undefined;
    if (own) row = known.next();
    if (own?.tag === listed.hash) {
      // Who changes labels alone changes the time of the listing, and nothing else in it but the type.
      const isChanged = putAt(listed) > completeAt && !isOwn(key);
      if (isChanged || all) found.push({ key, row: own, listed, isChanged });
    } else if (own) found.push({ key, row: own, listed, isChanged: true });
    else if (!isOwn(key) && !key.startsWith(SEGMENTS)) found.push({ key, listed, isChanged: true });
  }
  passUpTo(undefined);
  return found;
}

/** Written in UTC, by some stores without saying so. */
const putAt = ({ lastModified }: Listed): number =>
  Date.parse(/(?:Z|[+-]\d\d:?\d\d)$/.test(lastModified) ? lastModified : `${lastModified}Z`);
const newestFirst = (a: Suspect, b: Suspect): number =>
  (b.listed ? putAt(b.listed) : 0) - (a.listed ? putAt(a.listed) : 0);

function asListed({ key, row, listed }: Suspect): ForeignChange {
  if (!listed) return { key, change: 'removed' };
  if (row?.tag === listed.hash) return { key, change: 'relabelled', now: { ...plainRow(row), headers: {} } };
  const now = { ...objectOf(key, listed.bytes, {}, listed.hash), since: row?.since ?? 0 };
  return { key, change: row ? 'replaced' : 'added', now };
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
  // It only leads to what lies elsewhere, and that may become anything.
  const isLink = headers['content-location'] !== undefined;
  if (row?.tag === tag && !isLink) {
    const changed = changedLabels(row.headers, headers);
    return changed && { key, change: 'relabelled', now: { ...plainRow(row), headers: changed } };
  }
  const since = Date.parse(headers['last-modified'] ?? '') || 0;
  const size = Number(headers['content-length'] ?? 0);
  const now = { ...objectOf(key, size, labelsOf(headers), isLink ? '' : tag), since };
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
