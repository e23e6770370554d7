/** A release in the making: bodies become durable as they come, then one small transaction makes the release. */
import type { ReleasePlan, ReleaseRecord } from '../../core/release/release.js';
import type { SiteObject } from '../../core/site/site-object.js';
import type { BodySource, ByteRange, Pieces, Publication } from '../port.js';
import { asStoreError, type Layout } from './layout.js';
import { readBody } from './open-body.js';
import { BodyWriter } from './put-bodies.js';
import type { Rows } from './rows.js';
import { beginPublishing, endPublishing } from './sweep.js';

export class EmbeddedPublication implements Publication {
  readonly #layout: Layout;
  readonly #rows: Rows;
  readonly #plan: ReleasePlan;
  readonly #commit: (plan: ReleasePlan, at: number) => Promise<ReleaseRecord>;
  readonly #id: string;
  readonly #writer: BodyWriter;

  constructor(
    layout: Layout,
    rows: Rows,
    plan: ReleasePlan,
    commit: (plan: ReleasePlan, at: number) => Promise<ReleaseRecord>,
  ) {
    this.#layout = layout;
    this.#rows = rows;
    this.#plan = plan;
    this.#commit = commit;
    this.#id = beginPublishing(rows, process.pid, Date.now());
    this.#writer = new BodyWriter(layout, rows);
  }

  async put(body: BodySource): Promise<void> {
    await this.#named(() => this.#writer.put(body));
  }

  async settle(): Promise<void> {
    await this.#named(async () => this.#writer.settle());
  }

  read(object: SiteObject, range?: ByteRange): Pieces {
    return readBody(this.#layout, this.#rows, object, range);
  }

  async commit(at: number): Promise<ReleaseRecord> {
    await this.settle();
    return this.#named(() => this.#commit(this.#plan, at));
  }

  async abandon(): Promise<void> {
    this.#writer.close();
    try {
      endPublishing(this.#rows, this.#id);
    } catch {
      // On a full disk even this small note cannot be written; a publisher that has ended is forgotten anyway.
    }
  }

  async #named<T>(work: () => Promise<T>): Promise<T> {
    try {
      return await work();
    } catch (error) {
      throw asStoreError(error, this.#layout.root);
    }
  }
}
