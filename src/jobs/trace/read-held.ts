/** What a browser that loaded an address from an earlier release shows of it now. */
import { isPage } from '../../core/assign/defaults.js';
import { headerOf, headersToRecord, type WebRequest } from '../../core/hosting/answer.js';
import { resolve } from '../../core/hosting/resolve.js';
import { releaseUnknown } from '../../core/release/release.js';
import { decideHeld, type HeldCopy } from '../../core/visiting/held-copy.js';
import type { Store } from '../../stores/port.js';
import { assertHistory } from '../history/assert-history.js';
import { sourceOf, withView } from './found-view.js';

/** @throws FenestraError RELEASE_UNKNOWN, STORE_CANNOT */
export async function readHeld(
  store: Store,
  bucket: string,
  request: WebRequest,
  release: number,
  now: number,
): Promise<HeldCopy> {
  const releases = await assertHistory(store, 'tell what a browser still has').releases(bucket);
  const numbers = releases.map((each) => each.release);
  if (!numbers.includes(release)) throw releaseUnknown(bucket, release, numbers);
  const next = releases.find((each) => each.release === release + 1);
  const loadedAt = next?.at ?? now;
  const answers = [];
  for (const number of [release, undefined]) {
    const snapshot = await store.open(bucket, number);
    try {
      const state = { ...snapshot.state, access: 'open' } as const;
      const asked = { ...request, at: number === undefined ? now : loadedAt };
      answers.push(await withView(sourceOf(snapshot, state), (view) => resolve(asked, view)));
    } finally {
      await snapshot.close();
    }
  }
  const [then, current] = answers;
  const digest = (answer: typeof then): string =>
    answer?.body.kind === 'object' ? answer.body.object.digest : '';
  const isSame =
    then?.status === current?.status &&
    digest(then) === digest(current) &&
    headerOf(then?.headers ?? [], 'Location') === headerOf(current?.headers ?? [], 'Location');
  return decideHeld(
    release,
    then && {
      status: then.status,
      headers: headersToRecord(then.headers),
      isPage: isPage(headerOf(then.headers, 'Content-Type') ?? ''),
    },
    isSame,
    loadedAt,
    now,
  );
}
