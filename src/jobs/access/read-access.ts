/** Who can read what of a bucket, and opening and closing it. */
import { createReadPolicy } from '../../core/access/read-policy.js';
import type { Access } from '../../core/hosting/bucket-view.js';
import { plainKey } from '../../core/site/site-object.js';
import { looksSecret } from '../../core/site/names.js';
import type { SettingDrift } from '../../core/release/setting-drift.js';
import type { BucketState, Store } from '../../stores/port.js';
import type { Questions } from '../questions.js';

export interface Readers {
  readonly bucket: BucketState;
  readonly objects: number;
  readonly readable: { readonly count: number; readonly bytes: number };
  readonly barred: readonly { readonly key: string; readonly because: string }[];
  /** Readable keys whose names look secret. */
  readonly risky: readonly string[];
  /** Settings of the store that somebody else has changed. */
  readonly drift: readonly SettingDrift[];
  /** What shows that visitors get something: the index document where they may read it, or the smallest object. */
  readonly sign?: { readonly key: string; readonly size: number };
}

/** @throws FenestraError BUCKET_MISSING */
export async function readReaders(store: Store, name: string): Promise<Readers> {
  const snapshot = await store.open(name);
  try {
    const bucket = snapshot.state;
    const policy = createReadPolicy(bucket.settings);
    const barred: { key: string; because: string }[] = [];
    const risky: string[] = [];
    let [count, bytes, objects] = [0, 0, 0];
    let sign: Readers['sign'];
    const { index } = bucket.settings.documents;
    for await (const object of snapshot.objects()) {
      const { key, size } = object;
      objects++;
      const verdict = policy.explain(plainKey(object));
      if (!verdict.readable) barred.push({ key, because: verdict.because });
      else {
        count++;
        bytes += size;
        if (looksSecret(plainKey(object))) risky.push(key);
        // A coded body comes in another length than it is stored in.
        const isPlain = object.headers['Content-Encoding'] === undefined && !object.waits;
        const isBetter = !sign || key === index || (sign.key !== index && size < sign.size);
        if (isPlain && isBetter) sign = { key, size };
      }
    }
    const drift = (await snapshot.settingsDrift?.()) ?? [];
    return { bucket, objects, readable: { count, bytes }, barred, risky, drift, ...(sign ? { sign } : {}) };
  } finally {
    await snapshot.close();
  }
}

/** Opens a bucket on purpose: its name is asked for. @throws FenestraError CONFIRMATION_…, DECLINED, BUCKET_MISSING */
export async function openToPublic(store: Store, bucket: string, questions: Questions): Promise<void> {
  await questions.typeName({ about: 'open', bucket });
  await store.changeAccess(bucket, 'open');
}

/** Closes a bucket. @returns what it was before @throws FenestraError BUCKET_MISSING */
export async function closeToPublic(store: Store, { bucket }: Readers): Promise<Access> {
  await store.changeAccess(bucket.name, 'closed');
  return bucket.access;
}
