/** Bodies that only earlier releases need: they lie beside, in the ledger's container, under their digests. */
import pMap from 'p-map';
import { listNames } from './listing.js';
import type { SwiftClient } from './client.js';
import type { LedgerRow } from './rows.js';
import { BODIES, bodyName, ledgerOf, objectPath } from './names.js';
import { listSegments, putManifest } from './segments.js';

const SIDE_BY_SIDE = 8;

export class KeptBodies {
  readonly #client: SwiftClient;
  readonly #bucket: string;
  #digests: Promise<Set<string>> | undefined;
  readonly #staged = new Set<string>();

  constructor(client: SwiftClient, bucket: string) {
    this.#client = client;
    this.#bucket = bucket;
  }

  /** Their digests. */
  list(): Promise<Set<string>> {
    return (this.#digests ??= (async () => {
      const kept = new Set<string>();
      for await (const { name } of listNames(this.#client, ledgerOf(this.#bucket), BODIES))
        kept.add(name.slice(BODIES.length));
      return kept;
    })());
  }

  pathOf(digest: string): string {
    return objectPath(ledgerOf(this.#bucket), bodyName(digest));
  }

  /** Notes that a body was sent there ahead of its release. */
  async stage(digest: string): Promise<void> {
    (await this.list()).add(digest);
    this.#staged.add(digest);
  }

  isStaged(digest: string): boolean {
    return this.#staged.has(digest);
  }

  /** Lets go of what was sent there ahead, as far as it goes. */
  async dropStaged(): Promise<void> {
    const kept = await this.list();
    await pMap(
      this.#staged,
      async (digest) => {
        kept.delete(digest);
        await this.#client.done({ method: 'DELETE', path: this.pathOf(digest), expect: [404] });
      },
      { concurrency: SIDE_BY_SIDE },
    );
    this.#staged.clear();
  }

  /** Keeps what lies under a key before something else takes its place. @param digest of what does */
  async keep(row: LedgerRow | undefined, digest: string | undefined): Promise<void> {
    if (!row || row.size === 0 || row.digest === '' || row.digest === digest) return;
    const kept = await this.list();
    if (kept.has(row.digest)) return;
    const path = this.pathOf(row.digest);
    if (row.parts !== undefined) {
      const segments = await listSegments(this.#client, this.#bucket, row.digest);
      if (segments.length !== row.parts) return;
      await putManifest(this.#client, path, { 'content-type': 'application/octet-stream' }, segments);
      kept.add(row.digest);
      return;
    }
    const { status } = await this.#client.done({
      method: 'PUT',
      path,
      headers: {
        'x-copy-from': objectPath(this.#bucket, row.key),
        'x-fresh-metadata': 'true',
        'content-length': '0',
        // Somebody else's bytes are not the ones that were published.
        'if-match': `"${row.tag}"`,
      },
      expect: [404, 412],
    });
    if (status < 300) kept.add(row.digest);
  }
}
