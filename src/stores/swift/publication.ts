/**
 * A release in the making. Objects go where visitors find them as they come, in the order in which they are given; what
 * they take the place of is kept beside before. The release counts once its ledger is written.
 */
import { hash, randomBytes } from 'node:crypto';
import pMap from 'p-map';
import { FenestraError } from '../../core/errors/catalogue.js';
import { stagesOfWork } from '../../core/release/order-of-work.js';
import { objectsAfter } from '../../core/release/apply-plan.js';
import { compareKeys } from '../../core/site/key.js';
import type { ReleasePlan, ReleaseRecord } from '../../core/release/release.js';
import type { SiteObject } from '../../core/site/site-object.js';
import type { BodySource, Publication } from '../port.js';
import type { Claim } from './claims.js';
import { unquoted, type SwiftClient } from './client.js';
import { errorCopies, readAccess, setDocuments } from './container.js';
import { readLedger, writeRelease, type Ledger, type LedgerRow, type Rows } from './ledger.js';
import { dropIntent, isThere as isPut, type Interrupted } from './intent.js';
import { KeptBodies } from './kept-bodies.js';
import { objectPath } from './names.js';
import { listSegments, putManifest, type Segment } from './segments.js';
import { sendLarge, sendWhole, sentHeaders } from './send-body.js';
import { SentTags } from './sent-tags.js';

/** Requests under way at once: more only wait longer. */
const SIDE_BY_SIDE = 8;
/** Larger bodies are sent as they are read. Bytes. */
const MOST_WHOLE = 8 * 2 ** 20;

export class SwiftPublication implements Publication {
  readonly #client: SwiftClient;
  readonly #bucket: string;
  readonly #plan: ReleasePlan;
  readonly #ledger: Ledger;
  readonly #rows: Rows;
  readonly #claim: Claim;
  readonly #interrupted: Interrupted | undefined;
  #underWay = 0;
  /** Told when one more is done. */
  #waiting: (() => void) | undefined;
  #failure: unknown;
  /** Whether anything in the bucket may be other than before. */
  #isTouched = false;
  /** Whether anything was sent since the claim was looked at. */
  #isSent = false;
  /** The store's tag of what was put, by key. */
  readonly #put: SentTags;
  readonly #kept: KeptBodies;
  /** Bytes above which a body goes in segments; undefined where the store knows of none. */
  readonly #segmentsAbove: () => Promise<number | undefined>;

  constructor(
    client: SwiftClient,
    bucket: string,
    plan: ReleasePlan,
    ledger: Ledger,
    rows: Rows,
    claim: Claim,
    interrupted: Interrupted | undefined,
    segmentsAbove: () => Promise<number | undefined>,
  ) {
    this.#kept = new KeptBodies(client, bucket);
    this.#segmentsAbove = segmentsAbove;
    this.#client = client;
    this.#bucket = bucket;
    this.#plan = plan;
    this.#put = new SentTags(plan.put);
    this.#ledger = ledger;
    this.#rows = withReal(rows, plan.real);
    this.#claim = claim;
    this.#interrupted = interrupted;
  }

  async put(body: BodySource): Promise<void> {
    this.#throwFailure();
    while (this.#underWay >= SIDE_BY_SIDE) await this.#oneDone();
    const { object } = body;
    this.#isTouched = true;
    this.#isSent = true;
    if (object.size <= MOST_WHOLE) {
      const { bytes } = await body.read();
      if (bytes.length !== object.size || hash('sha256', bytes, 'hex') !== object.digest)
        throw new FenestraError('FILE_CHANGING', { path: body.path });
      // Its buffer is the caller's again once this returns.
      this.#start(this.#putBytes(object, Buffer.from(bytes)));
    } else {
      while (this.#underWay > 0) await this.#oneDone();
      await this.#putLarge(body);
    }
    this.#throwFailure();
  }

  async settle(): Promise<void> {
    while (this.#underWay > 0) await this.#oneDone();
    this.#throwFailure();
    if (!this.#isSent) return;
    // A stage is done; another may have the bucket by now.
    this.#isSent = false;
    await this.#claim.hold();
  }

  async commit(at: number): Promise<ReleaseRecord> {
    await this.settle();
    await this.#claim.hold();
    await this.#needBase();
    this.#isTouched = true;
    const sources = await this.#findSources();
    for (const stage of stagesOfWork(sources, this.#plan.settings))
      await pMap(stage, (source) => this.#copy(source), { concurrency: SIDE_BY_SIDE });
    await this.#setDocuments((key) => this.#willHold(key));
    await this.#claim.hold();
    await pMap(this.#plan.remove, (key) => this.#remove(key), { concurrency: SIDE_BY_SIDE });
    const { by, note, totals, settings, identity, restores, base } = this.#plan;
    const record: ReleaseRecord = {
      release: base + 1,
      at,
      by,
      note,
      totals,
      settings,
      ...(restores === undefined ? {} : { restores }),
      ...(identity === undefined ? {} : { identity }),
      requests: this.#client.requests,
    };
    const nonce = randomBytes(6).toString('hex');
    await writeRelease(this.#client, this.#bucket, this.#ledger, record, this.#rowsAfter(at), nonce);
    await dropIntent(this.#client, this.#bucket);
    return record;
  }

  /** What the ledger will say, in key order. */
  *#rowsAfter(at: number): Generator<LedgerRow> {
    for (const object of objectsAfter(this.#rows.values(), this.#plan, at)) {
      const { tag = '', parts } = this.#put.get(object.key) ?? this.#rows.get(object.key) ?? {};
      const { parts: _parts, ...plain } = object as LedgerRow;
      yield { ...plain, tag, ...(parts === undefined ? {} : { parts }) };
    }
  }

  #willHold(key: string): boolean {
    if (this.#plan.put.some((object) => object.key === key)) return true;
    return this.#rows.has(key) && !this.#plan.remove.includes(key);
  }

  async abandon(): Promise<void> {
    while (this.#underWay > 0) await this.#oneDone();
    // Where nothing was touched there is nothing to be looked after.
    if (!this.#isTouched && !this.#interrupted)
      await dropIntent(this.#client, this.#bucket).catch(() => undefined);
    await this.#claim.release();
  }

  #start(work: Promise<void>): void {
    this.#underWay++;
    work
      .catch((error: unknown) => {
        this.#failure ??= error;
      })
      .finally(() => {
        this.#underWay--;
        this.#waiting?.();
      });
  }

  /** There is one caller at a time. */
  async #oneDone(): Promise<void> {
    await new Promise<void>((done) => (this.#waiting = done));
    this.#waiting = undefined;
  }

  #throwFailure(): void {
    if (this.#failure !== undefined) throw this.#failure;
  }

  /** @throws FenestraError PUBLISHED_MEANWHILE, OPENED_MEANWHILE */
  async #needBase(): Promise<void> {
    const { base, bucket: agreed } = this.#plan;
    const now = await readLedger(this.#client, this.#bucket);
    const isAnother = agreed !== undefined && agreed.created !== now?.state.created;
    if (!now || now.state.release !== base || isAnother)
      throw new FenestraError('PUBLISHED_MEANWHILE', {
        bucket: this.#bucket,
        base,
        head: now?.state.release ?? 0,
        who: isAnother ? ', of a bucket made anew' : '',
      });
    const access = await readAccess(this.#client, this.#bucket);
    if (access === 'open' && agreed?.access !== 'open')
      throw new FenestraError('OPENED_MEANWHILE', { bucket: this.#bucket });
  }

  async #putBytes(object: SiteObject, bytes: Buffer): Promise<void> {
    const tag = hash('md5', bytes, 'hex');
    if (isPut(this.#interrupted, object, tag)) {
      this.#put.set(object.key, object.digest, tag);
      return;
    }
    await this.#keepOld(object.key, object.digest);
    this.#put.set(object.key, object.digest, await sendWhole(this.#client, this.#bucket, object, bytes));
  }

  async #putLarge(body: BodySource): Promise<void> {
    const { key, digest } = body.object;
    await this.#keepOld(key, digest);
    const above = await this.#segmentsAbove();
    const { tag, parts } = await sendLarge(this.#client, this.#bucket, body, above);
    this.#put.set(key, digest, tag, parts);
  }

  /** Bytes that a kept release needs are kept beside before others take their place. */
  #keepOld(key: string, digest: string | undefined): Promise<void> {
    return this.#kept.keep(this.#rows.get(key), digest);
  }

  /** Where each object's bytes come from that were not sent. @throws FenestraError BODIES_SWEPT */
  async #findSources(): Promise<Source[]> {
    const missing = this.#plan.put.filter(({ key, digest }) => this.#put.get(key)?.digest !== digest);
    if (missing.length === 0) return [];
    const kept = await this.#kept.list();
    const keys = new Map<string, { readonly key: string; readonly tag: string }>();
    for (const [key, { digest, tag }] of this.#rows)
      if (digest !== '' && !this.#put.has(key)) keys.set(digest, { key, tag });
    for (const [key, { digest, tag }] of this.#put) keys.set(digest, { key, tag });
    return missing.map((object) => {
      if (object.size === 0) return { object };
      const row = this.#put.has(object.key) ? undefined : this.#rows.get(object.key);
      const own = row?.digest === object.digest ? { key: object.key, tag: row.tag } : undefined;
      const at = own ?? keys.get(object.digest);
      if (kept.has(object.digest)) return { object, from: this.#kept.pathOf(object.digest) };
      if (at) return { object, from: objectPath(this.#bucket, at.key), tag: at.tag };
      throw new FenestraError('BODIES_SWEPT', { bucket: this.#bucket, key: object.key });
    });
  }

  /** Inside the store; headers are replaced whole. */
  async #copy({ object, from, tag }: Source): Promise<void> {
    if (from === undefined) return this.#putBytes(object, Buffer.alloc(0));
    await this.#keepOld(object.key, object.digest);
    const segments = await this.#segmentsOf(object);
    if (segments.length > 0) {
      const at = objectPath(this.#bucket, object.key);
      const whole = await putManifest(this.#client, at, sentHeaders(object.headers), segments);
      this.#put.set(object.key, object.digest, whole, segments.length);
      return;
    }
    const { headers, status } = await this.#client.done({
      method: 'PUT',
      path: objectPath(this.#bucket, object.key),
      headers: {
        ...sentHeaders(object.headers),
        'x-copy-from': from,
        'x-fresh-metadata': 'true',
        'content-length': '0',
        // Of what is copied: others in its place are no part of the release.
        ...(tag === undefined || tag === '' ? {} : { 'if-match': `"${tag}"` }),
      },
      expect: [404, 412],
    });
    if (status >= 400) throw new FenestraError('BODIES_SWEPT', { bucket: this.#bucket, key: object.key });
    this.#put.set(object.key, object.digest, unquoted(headers['etag']));
  }

  /** What a large body was cut into, where it was. */
  async #segmentsOf({ digest, size }: SiteObject): Promise<Segment[]> {
    const above = await this.#segmentsAbove();
    if (above === undefined || size <= MOST_WHOLE) return [];
    const segments = await listSegments(this.#client, this.#bucket, digest);
    return segments.reduce((sum, each) => sum + each.size, 0) === size ? segments : [];
  }

  async #setDocuments(isThere: (key: string) => boolean): Promise<void> {
    const { settings } = this.#plan;
    const { error } = settings.documents;
    const before = this.#ledger.state.settings.documents.error;
    if (error !== null && isThere(error))
      for (const copy of errorCopies(error))
        if (!isThere(copy))
          await this.#client.done({
            method: 'PUT',
            path: objectPath(this.#bucket, copy),
            headers: { 'x-copy-from': objectPath(this.#bucket, error), 'content-length': '0' },
          });
    await setDocuments(this.#client, this.#bucket, settings);
    if (before === null || before === error) return;
    for (const copy of errorCopies(before))
      if (!isThere(copy))
        await this.#client.done({ method: 'DELETE', path: objectPath(this.#bucket, copy), expect: [404] });
  }

  async #remove(key: string): Promise<void> {
    await this.#keepOld(key, undefined);
    await this.#client.done({ method: 'DELETE', path: objectPath(this.#bucket, key), expect: [404] });
  }
}

/** Where an object's bytes come from that were not sent; nowhere where there are none. */
interface Source {
  readonly object: SiteObject;
  readonly from?: string;
  /** Of what lies there, where it is known. */
  readonly tag?: string;
}

/** The rows with what was learned of objects that somebody else has put, and without what they have removed. */
function withReal(rows: Rows, real: ReleasePlan['real']): Rows {
  if (!real) return rows;
  const all = new Map(rows);
  for (const { md5 = '', ...object } of real.learned) all.set(object.key, { ...object, tag: md5 });
  for (const key of real.unknown) {
    const row = all.get(key);
    if (row) all.set(key, { ...row, digest: '', tag: '' });
  }
  for (const key of real.gone) all.delete(key);
  return new Map([...all].sort(([a], [b]) => compareKeys(a, b)));
}
