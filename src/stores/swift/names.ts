/** Names in the store: containers, and objects of a bucket's ledger. */

/** No bucket's name has a dot, so that none is ever the ledger of another. */
const LEDGER_END = '.ledger';

export const ledgerOf = (bucket: string): string => `${bucket}${LEDGER_END}`;

/** The bucket that a container is the ledger of; undefined where it is none. */
export const bucketOfLedger = (container: string): string | undefined =>
  container.endsWith(LEDGER_END) ? container.slice(0, -LEDGER_END.length) : undefined;

/** Below the account, percent-encoded. */
export const containerPath = (container: string): string => `/${encodeURIComponent(container)}`;

/** Every part of a key is one, also an empty one or one of dots, which a client would take out. */
export const objectPath = (container: string, key: string): string =>
  `${containerPath(container)}/${key
    .split('/')
    .map((part) => encodeURIComponent(part).replace(/^\.{1,2}$/, (dots) => '%2E'.repeat(dots.length)))
    .join('/')}`;

/** Where the parts of large bodies lie, in the bucket itself: those of a closed container no visitor could read. */
export const SEGMENTS = '.segments/';

export const STATE = 'state.json';
export const INTENT = 'intent.json';
export const CLAIMS = 'claims/';
export const BODIES = 'bodies/';
export const bodyName = (digest: string): string => `${BODIES}${digest}`;
export const RELEASES = 'releases/';
/** In the order of their numbers. */
export const releaseName = (release: number): string => `${RELEASES}${String(release).padStart(9, '0')}.json`;
export const rowsName = (release: number, nonce: string): string =>
  `rows/${String(release).padStart(9, '0')}-${nonce}.jsonl.gz`;
