/** How the text of one object would change. */
import { isUtf8 } from 'node:buffer';
import { FenestraError } from '../../core/errors/catalogue.js';
import { nearestWord } from '../../core/words/nearest-word.js';
import type { Change, ChangeKind, ObjectState } from '../../core/release/change-list.js';
import { decodeBytes } from '../../disk/encode.js';
import { openObject } from '../../disk/rewrite.js';
import type { Store } from '../../stores/port.js';
import { readWhole } from '../host/host-release.js';
import type { Prepared } from './prepared.js';

/** Larger texts are not compared. Bytes. */
const MAX_BYTES = 2_000_000;
/** Milliseconds to look for what two texts have in common. */
const TIMEOUT_MS = 5_000;
const NOTHING = Buffer.alloc(0);

/** What is to be said of one key; sizes in bytes. */
export type BodyDiff = { readonly key: string } & (
  | { readonly outcome: 'unchanged' }
  | { readonly outcome: 'same-bytes'; readonly change: ChangeKind }
  | { readonly outcome: 'incomparable' | 'all-other'; readonly was: number; readonly becomes: number }
  | { readonly outcome: 'lines'; readonly lines: readonly string[] }
);

/** @throws FenestraError KEY_UNKNOWN */
export async function diffBody(
  wanted: string,
  { comparison: { entries }, project: { config, destination }, site, store }: Prepared,
): Promise<BodyDiff> {
  const key = wanted.replace(/^\//, '').normalize('NFC');
  const object =
    site.objects.find((each) => each.key === key) ?? site.objects.find(({ plain }) => plain === key);
  const change = entries.find((each) => each.key === key) ?? joinVersions(key, entries);
  if (!change) {
    if (object) return { key, outcome: 'unchanged' };
    const near = nearestWord(
      key,
      entries.map((each) => each.plainKey ?? each.key),
    );
    throw new FenestraError('KEY_UNKNOWN', { key, nearest: near === undefined ? '' : `; there is ${near}` });
  }
  const { was, becomes } = change;
  if (was?.digest === becomes?.digest) return { key, outcome: 'same-bytes', change: change.change };
  const sizes = { was: was?.size ?? 0, becomes: becomes?.size ?? 0 };
  if (Math.max(sizes.was, sizes.becomes) > MAX_BYTES) return { key, outcome: 'incomparable', ...sizes };
  const before = textOf(
    was,
    was && store ? await readStored(store, destination.bucket, change.key) : NOTHING,
  );
  const after = textOf(
    becomes,
    object && becomes ? (await openObject(object, config.site, site.takenAt).read()).bytes : NOTHING,
  );
  if (before === undefined || after === undefined) return { key, outcome: 'incomparable', ...sizes };
  const { createTwoFilesPatch } = await import('diff');
  const patch = createTwoFilesPatch(
    `${change.key} as published`,
    `${object?.key ?? key} in the site`,
    before,
    after,
    undefined,
    undefined,
    { context: 2, timeout: TIMEOUT_MS },
  );
  if (patch === undefined) return { key, outcome: 'all-other', ...sizes };
  return { key, outcome: 'lines', lines: patch.split('\n').slice(1) };
}

/** The versions of a plain name as one change: what is taken out, and what comes in its place. */
function joinVersions(plain: string, entries: readonly Change[]): Change | undefined {
  const versions = entries.filter(({ plainKey }) => plainKey === plain);
  const was = versions.find(({ change }) => change === 'remove');
  const becomes = versions.find(({ change }) => change !== 'remove');
  if (!was || !becomes) return becomes ?? was;
  return {
    key: was.key,
    change: 'replace',
    ...(was.was ? { was: was.was } : {}),
    ...(becomes.becomes ? { becomes: becomes.becomes } : {}),
  };
}

/** The text that readers see, whatever it is compressed with; undefined when it is none. */
function textOf(state: ObjectState | undefined, bytes: Buffer): string | undefined {
  const encoding = state?.headers['Content-Encoding'];
  let plain = bytes;
  try {
    if (encoding === 'gzip' || encoding === 'br') plain = decodeBytes(bytes, encoding, MAX_BYTES);
  } catch {
    return undefined;
  }
  return isUtf8(plain) && !plain.includes(0) ? plain.toString() : undefined;
}

async function readStored(store: Store, bucket: string, key: string): Promise<Buffer> {
  const snapshot = await store.open(bucket);
  try {
    const object = await snapshot.find(key);
    return object && object.size > 0 ? await readWhole((each) => snapshot.read(each), object) : NOTHING;
  } finally {
    await snapshot.close();
  }
}
