/** A release in the making: bodies become durable as they come, then one small transaction makes the release. */
import type { ReleasePlan, ReleaseRecord } from '../../core/release/release.js';
import type { SiteObject } from '../../core/site/site-object.js';
import type { BodySource, ByteRange, Pieces, Publication } from '../port.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { asStoreError, type Layout } from './layout.js';
import type { DigestSet } from '../../core/site/digest-set.js';
import { readBody } from './open-body.js';
import { BodyWriter } from './put-bodies.js';
import type { Rows } from './rows.js';
import { beginPublishing, endPublishing, sweepBodies } from './sweep.js';

/** @param sent bodies of which one use is counted already */
type Commit = (plan: ReleasePlan, at: number, sent: DigestSet) => Promise<ReleaseRecord>;

export class EmbeddedPublication implements Publication {
  readonly #layout: Layout;
  readonly #rows: Rows;
  readonly #plan: ReleasePlan;
  readonly #commit: Commit;
  readonly #id: string;
  readonly #writer: BodyWriter;
  #isCommitted = false;
  #isFull = false;

  constructor(layout: Layout, rows: Rows, plan: ReleasePlan, commit: Commit) {
    this.#layout = layout;
    this.#rows = rows;
    this.#plan = plan;
    this.#commit = commit;
    this.#id = beginPublishing(rows, process.pid, Date.now());
    this.#writer = new BodyWriter(layout, rows, plan.put.length);
  }

  async put(body: BodySource): Promise<void> {
    await this.#named(() => this.#writer.put(body));
  }

  async settle(): Promise<void> {
    await this.#named(() => this.#writer.settle());
  }

  read(object: SiteObject, range?: ByteRange): Pieces {
    return readBody(this.#layout, this.#rows, object, range);
  }

  async commit(at: number): Promise<ReleaseRecord> {
    await this.settle();
    const record = await this.#named(() => this.#commit(this.#plan, at, this.#writer.sent));
    this.#isCommitted = true;
    return record;
  }

  async abandon(): Promise<void> {
    try {
      await this.#writer.close();
      endPublishing(this.#rows, this.#id, this.#isCommitted);
      // A publish that failed for want of room leaves no less of it.
      if (this.#isFull) sweepBodies(this.#layout, this.#rows, Date.now(), { grace: 0, worthKeeping: 0 });
    } catch {
      // On a full disk even this small note cannot be written; a publisher that has ended is forgotten anyway.
    }
  }

  async #named<T>(work: () => Promise<T>): Promise<T> {
    try {
      return await work();
    } catch (error) {
      const known = asStoreError(error, this.#layout.root);
      if (known instanceof FenestraError && known.code === 'STORE_FULL') this.#isFull = true;
      throw known;
    }
  }
}
