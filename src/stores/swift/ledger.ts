/**
 * What Fenestra keeps beside a bucket of such a store, in a closed container: the state, and of each kept release its
 * record and its objects. The state is written last, so that what it names is there.
 */
import { FenestraError } from '../../core/errors/catalogue.js';
import { NEW_BUCKET_SETTINGS, type BucketSettings } from '../../core/hosting/bucket-view.js';
import { WaitingCount } from '../../core/release/apply-plan.js';
import type { ReleaseRecord } from '../../core/release/release.js';
import { isReleaseRecord, isSettings, isStoredObject } from '../../core/release/stored-shapes.js';
import type { BucketState } from '../port.js';
import type { SwiftClient } from './client.js';
import { ledgerOf, objectPath, releaseName, RELEASES, rowsName, STATE } from './names.js';
import { listNames } from './listing.js';
import { packLines, unpackLines } from './packed-lines.js';
import { RowColumns } from './row-columns.js';
import type { LedgerRow, Rows } from './rows.js';
import type { Web } from './web-names.js';

interface KeptState {
  readonly ledger: 1;
  readonly name: string;
  readonly created: number;
  readonly release: number;
  readonly settings: BucketSettings;
  readonly identity?: string;
  readonly objects: number;
  readonly bytes: number;
  readonly waiting?: BucketState['waiting'];
  /** The object that holds the rows; absent before the first release. */
  readonly rows?: string;
  /** Absent where the documents answer under the site's own names. */
  readonly web?: Web;
}

export interface Ledger {
  readonly state: Omit<BucketState, 'access'>;
  readonly rows: string | undefined;
  readonly web: Web | undefined;
  /** When the store took it, by the store's own clock: milliseconds since the epoch; NaN where it does not say. */
  readonly writtenAt: number;
}

interface KeptRelease {
  readonly record: ReleaseRecord;
  readonly rows: string;
}

const path = (bucket: string, name: string): string => objectPath(ledgerOf(bucket), name);
// The newest of all copies, whatever a node holds that was away.
const NEWEST = { 'x-newest': 'true' };

const readJson = async <T>(
  client: SwiftClient,
  at: string,
  is: (value: unknown) => value is T,
): Promise<T | undefined> => (await readDated(client, at, is))?.value;

/** @returns with when the store took it, by its own clock: milliseconds since the epoch; NaN where it does not say */
async function readDated<T>(
  client: SwiftClient,
  at: string,
  is: (value: unknown) => value is T,
): Promise<{ readonly value: T; readonly writtenAt: number } | undefined> {
  const { status, headers, bytes } = await client.bytes({
    method: 'GET',
    path: at,
    headers: NEWEST,
    expect: [404],
  });
  if (status === 404) return undefined;
  let value: unknown;
  try {
    value = JSON.parse(bytes.toString());
  } catch (error) {
    throw damaged(client, at, error);
  }
  if (!is(value)) throw damaged(client, at, undefined);
  return { value, writtenAt: Number(headers['x-timestamp'] ?? Number.NaN) * 1000 };
}

const isKeptState = (value: unknown): value is KeptState => {
  const { ledger, name, created, release, settings, objects, bytes, rows } = (value ?? {}) as {
    readonly [K in keyof KeptState]?: unknown;
  };
  return (
    ledger === 1 &&
    typeof name === 'string' &&
    [created, release, objects, bytes].every((each) => Number.isSafeInteger(each) && (each as number) >= 0) &&
    isSettings(settings) &&
    (rows === undefined || typeof rows === 'string')
  );
};

const isKeptRelease = (value: unknown): value is KeptRelease => {
  const { record, rows } = (value ?? {}) as { readonly [K in keyof KeptRelease]?: unknown };
  return typeof rows === 'string' && isReleaseRecord(record);
};

const isLedgerRow = (value: unknown): value is LedgerRow => {
  const { tag, parts } = (value ?? {}) as { readonly [K in keyof LedgerRow]?: unknown };
  return isStoredObject(value) && typeof tag === 'string' && (parts === undefined || Number.isInteger(parts));
};

/** What lies in a ledger and was not written by Fenestra, or not whole. */
export const damaged = (client: SwiftClient, at: string, cause: unknown): FenestraError =>
  new FenestraError('STORE_DAMAGED', { what: `${at} in ${client.store} cannot be read`, path: at }, cause);

async function putJson(client: SwiftClient, at: string, value: unknown): Promise<void> {
  await client.done({
    method: 'PUT',
    path: at,
    headers: { 'content-type': 'application/json' },
    body: Buffer.from(JSON.stringify(value)),
  });
}

/** Undefined where there is no such bucket. */
export async function readLedger(client: SwiftClient, bucket: string): Promise<Ledger | undefined> {
  const kept = await readDated(client, path(bucket, STATE), isKeptState);
  if (!kept) return undefined;
  const { ledger: _ledger, rows, web, ...state } = kept.value;
  return { state, rows, web, writtenAt: kept.writtenAt };
}

export async function writeNewLedger(client: SwiftClient, bucket: string, created: number): Promise<void> {
  const state: KeptState = {
    ledger: 1,
    name: bucket,
    created,
    release: 0,
    settings: NEW_BUCKET_SETTINGS,
    objects: 0,
    bytes: 0,
  };
  await putJson(client, path(bucket, STATE), state);
}

/** Writes a release; from the last of its writes on it counts. @param rows in key order, gone through once */
export async function writeRelease(
  client: SwiftClient,
  bucket: string,
  before: Ledger,
  record: ReleaseRecord,
  rows: Iterable<LedgerRow>,
  nonce: string,
  web: Web | undefined,
): Promise<void> {
  const name = rowsName(record.release, nonce);
  let [objects, bytes] = [0, 0];
  const count = new WaitingCount();
  function* lines(): Generator<string> {
    for (const row of rows) {
      if (!row.waits) {
        objects++;
        bytes += row.size;
      }
      count.note(row);
      yield JSON.stringify(row);
    }
  }
  await client.done({
    method: 'PUT',
    path: path(bucket, name),
    headers: { 'content-type': 'application/gzip' },
    body: await packLines(lines()),
  });
  await putJson(client, path(bucket, releaseName(record.release)), {
    record,
    rows: name,
  } satisfies KeptRelease);
  const { waiting } = count;
  const { created, name: called } = before.state;
  const state: KeptState = {
    ledger: 1,
    name: called,
    created,
    release: record.release,
    settings: record.settings,
    ...(record.identity === undefined ? {} : { identity: record.identity }),
    objects,
    bytes,
    ...(waiting === undefined ? {} : { waiting }),
    rows: name,
    ...(web === undefined ? {} : { web }),
  };
  await putJson(client, path(bucket, STATE), state);
}

/** The objects of a release, in key order. */
export async function readRows(client: SwiftClient, bucket: string, name: string | undefined): Promise<Rows> {
  if (name === undefined) return new Map();
  const { bytes } = await client.bytes({ method: 'GET', path: path(bucket, name), headers: NEWEST });
  const rows = new RowColumns();
  try {
    for await (const line of unpackLines(bytes)) {
      const row: unknown = JSON.parse(line);
      if (!isLedgerRow(row)) throw new Error('a line is no object');
      rows.push(row);
    }
  } catch (error) {
    throw damaged(client, path(bucket, name), error);
  }
  return rows.end();
}

/** Newest first. */
export async function readReleases(client: SwiftClient, bucket: string): Promise<KeptRelease[]> {
  const names: string[] = [];
  for await (const { name } of listNames(client, ledgerOf(bucket), RELEASES)) names.push(name);
  const kept = await Promise.all(names.map((name) => readJson(client, path(bucket, name), isKeptRelease)));
  return kept.flatMap((each) => each ?? []).sort((a, b) => b.record.release - a.record.release);
}

export const readRelease = (
  client: SwiftClient,
  bucket: string,
  release: number,
): Promise<KeptRelease | undefined> => readJson(client, path(bucket, releaseName(release)), isKeptRelease);

/** Lets go of something in a ledger; what is gone already is gone. */
export const dropFromLedger = async (client: SwiftClient, bucket: string, name: string): Promise<void> =>
  void (await client.done({ method: 'DELETE', path: path(bucket, name), expect: [404] }));
