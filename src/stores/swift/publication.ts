/**
 * A release in the making. Objects go where visitors find them as they come, in the order in which they are given; what
 * they take the place of is kept beside before. Where the release is to be looked at first, they wait beside, where
 * nobody finds them, and go to their places in the same order. The release counts once its ledger is written.
 */
import { hash, randomBytes } from 'node:crypto';
import pMap from 'p-map';
import { FenestraError } from '../../core/errors/catalogue.js';
import { stagesOfWork } from '../../core/release/order-of-work.js';
import { objectsAfter } from '../../core/release/apply-plan.js';
import type { ReleasePlan, ReleaseRecord } from '../../core/release/release.js';
import type { SiteObject, StoredObject } from '../../core/site/site-object.js';
import type { BodySource, ByteRange, Pieces, Publication } from '../port.js';
import { assertBase } from './assert-base.js';
import { BodiesInside } from './bodies-inside.js';
import type { Claim } from './claims.js';
import type { SwiftClient } from './client.js';
import { writeRelease, type Ledger } from './ledger.js';
import { withReal, type LedgerRow, type Rows } from './rows.js';
import { dropIntent, isThere as isPut, type Interrupted } from './intent.js';
import { KeptBodies } from './kept-bodies.js';
import { objectPath } from './names.js';
import { MAX_WHOLE, sendLarge, sendWhole, sentHeaders, type Sent } from './send-body.js';
import { SentTags } from './sent-tags.js';
import { readObject } from './snapshot.js';
import { findSources, type Place, type Source } from './sources.js';
import { clearFormer, placeBefore, turnDocuments, webAfter, type Turn, type TurnInput } from './turn.js';
import { UnderWay } from './under-way.js';

/** Requests under way at once: more only wait longer. */
const SIDE_BY_SIDE = 16;

export interface PublicationInput {
  readonly client: SwiftClient;
  readonly bucket: string;
  readonly plan: ReleasePlan;
  readonly ledger: Ledger;
  readonly rows: Rows;
  readonly claim: Claim;
  readonly interrupted: Interrupted | undefined;
  readonly turn: Turn;
  /** Bytes above which a body goes in segments; undefined where the store knows of none. */
  readonly segmentsAbove: () => Promise<number | undefined>;
}

export class SwiftPublication implements Publication {
  readonly #input: PublicationInput;
  readonly #client: SwiftClient;
  readonly #bucket: string;
  readonly #plan: ReleasePlan;
  readonly #rows: Rows;
  readonly #underWay = new UnderWay();
  /** Whether anything in the bucket may be other than before. */
  #isTouched = false;
  /** Whether anything was sent since the claim was looked at. */
  #isSent = false;
  /** The store's tag of what was put, by key. */
  readonly #put: SentTags;
  readonly #kept: KeptBodies;
  readonly #inside: BodiesInside;
  /** What waits beside, in the stages in which it was put. */
  readonly #staged: SiteObject[][] = [[]];
  readonly #willHold: (key: string) => boolean;

  constructor(input: PublicationInput) {
    const { client, bucket, plan } = input;
    this.#input = input;
    this.#client = client;
    this.#bucket = bucket;
    this.#plan = plan;
    this.#kept = new KeptBodies(client, bucket);
    this.#put = new SentTags(plan.put);
    this.#rows = withReal(input.rows, plan.real);
    this.#inside = new BodiesInside({ ...input, rows: this.#rows, kept: this.#kept });
    let [put, removed]: [Set<string>?, Set<string>?] = [];
    this.#willHold = (key) => {
      put ??= new Set(plan.put.map((object) => object.key));
      removed ??= new Set(plan.remove);
      return put.has(key) || (this.#rows.has(key) && !removed.has(key));
    };
  }

  async put(body: BodySource): Promise<void> {
    this.#underWay.throwFailure();
    await this.#underWay.fewerThan(SIDE_BY_SIDE);
    const { object } = body;
    if (this.#plan.staged) this.#staged.at(-1)?.push(object);
    else this.#isTouched = true;
    this.#isSent = true;
    if (object.size <= MAX_WHOLE) {
      const { bytes } = await body.read();
      if (bytes.length !== object.size || hash('sha256', bytes, 'hex') !== object.digest)
        throw new FenestraError('FILE_CHANGING', { path: body.path });
      // Its buffer is the caller's again once this returns.
      const work = this.#putBytes(object, Buffer.from(bytes));
      this.#inside.note(object, work);
      this.#underWay.start(work);
    } else {
      await this.#underWay.fewerThan(1);
      const work = this.#putLarge(body);
      this.#inside.note(object, work);
      await work;
    }
    this.#underWay.throwFailure();
  }

  async settle(): Promise<void> {
    await this.#underWay.fewerThan(1);
    this.#underWay.throwFailure();
    if (!this.#isSent) return;
    // A stage is done; another may have the bucket by now.
    this.#isSent = false;
    this.#staged.push([]);
    await this.#input.claim.hold();
  }

  read(object: SiteObject, range?: ByteRange): Pieces {
    const row = this.#rows.get(object.key);
    const tag = row?.digest === object.digest ? row.tag : undefined;
    const isStaged = this.#kept.isStaged(object.digest) || tag === undefined;
    return readObject(this.#client, this.#bucket, object, tag, range, isStaged);
  }

  async commit(at: number): Promise<ReleaseRecord> {
    const { ledger, claim, turn, interrupted } = this.#input;
    await this.settle();
    await claim.hold();
    await assertBase(this.#client, this.#bucket, this.#plan);
    this.#isTouched = true;
    await this.#placeStaged();
    const missing = this.#plan.put.filter(({ key, digest }) => this.#put.get(key)?.digest !== digest);
    for (const stage of stagesOfWork(await this.#findSources(missing), this.#plan.settings))
      await pMap(stage, (source) => this.#copy(source), { concurrency: SIDE_BY_SIDE });
    const turning: TurnInput = {
      client: this.#client,
      bucket: this.#bucket,
      plan: this.#plan,
      rows: this.#rows,
      left: interrupted?.found.keys() ?? [],
      before: ledger.state.settings.sharing,
      willHold: this.#willHold,
    };
    await turnDocuments(turning, turn);
    await this.#followTurn();
    await claim.hold();
    await pMap(this.#plan.remove, (key) => this.#remove(key), { concurrency: SIDE_BY_SIDE });
    const web = webAfter(ledger, turn, this.#plan, at, interrupted?.intent.web);
    const left = await clearFormer(turning, web, at);
    const { by, folder, note, totals, settings, identity, restores, base } = this.#plan;
    const record: ReleaseRecord = {
      release: base + 1,
      at,
      by,
      ...(folder === undefined ? {} : { folder }),
      note,
      totals,
      settings,
      ...(restores === undefined ? {} : { restores }),
      ...(identity === undefined ? {} : { identity }),
      requests: this.#client.requests,
    };
    const nonce = randomBytes(6).toString('hex');
    await writeRelease(this.#client, this.#bucket, ledger, record, this.#rowsAfter(at), nonce, left);
    await this.#kept.dropStaged();
    await dropIntent(this.#client, this.#bucket);
    return record;
  }

  async abandon(): Promise<void> {
    await this.#underWay.fewerThan(1);
    await this.#kept.dropStaged().catch(() => undefined);
    // Where nothing was touched there is nothing to be looked after.
    if (!this.#isTouched && !this.#input.interrupted)
      await dropIntent(this.#client, this.#bucket).catch(() => undefined);
    await this.#input.claim.release();
  }

  /** What the ledger will say, in key order. */
  *#rowsAfter(at: number): Generator<LedgerRow> {
    for (const object of objectsAfter(this.#rows.values(), this.#plan, at)) {
      // What stays is still a row.
      const {
        tag = '',
        parts,
        ...plain
      } = { ...(object as Partial<LedgerRow> & StoredObject), ...this.#put.get(object.key) };
      yield { ...plain, tag, ...(parts === undefined ? {} : { parts }) };
    }
  }

  /** The name under which an object goes to the bucket before the release is turned to. */
  #nameOf(key: string): string {
    return placeBefore(key, this.#input.turn, this.#plan) ?? key;
  }

  #pathOf(key: string): string {
    return objectPath(this.#bucket, this.#nameOf(key));
  }

  async #putBytes(object: SiteObject, bytes: Buffer): Promise<Place | undefined> {
    const { key, digest } = object;
    const tag = hash('md5', bytes, 'hex');
    if (!this.#plan.staged && isPut(this.#input.interrupted, object, tag, this.#nameOf(key))) {
      this.#put.set(key, digest, tag);
      return { from: this.#pathOf(key), tag };
    }
    return this.#bring(object, async (to, headers) => ({
      digest,
      tag: await sendWhole(this.#client, to, headers, bytes),
    }));
  }

  async #putLarge(body: BodySource): Promise<Place | undefined> {
    const above = await this.#input.segmentsAbove();
    return this.#bring(body.object, (to, headers) =>
      sendLarge(this.#client, this.#bucket, body, above, to, headers),
    );
  }

  /** Brings a body to its place, or beside: by a copy inside the store where it is there already. */
  async #bring(
    object: SiteObject,
    send: (to: string, headers: Record<string, string>) => Promise<Sent>,
  ): Promise<Place | undefined> {
    const { key, digest, headers } = object;
    if (this.#plan.staged) {
      const to = this.#kept.pathOf(digest);
      if (object.size === 0) return undefined;
      if ((await this.#kept.list()).has(digest)) return { from: to };
      if (!(await this.#inside.copyInstead(object, to))) await send(to, BESIDE);
      await this.#kept.stage(digest);
      return { from: to };
    }
    const to = this.#pathOf(key);
    if (this.#nameOf(key) === key) await this.#keepOld(key, digest);
    const { tag, parts } =
      (await this.#inside.copyInstead(object, to)) ?? (await send(to, sentHeaders(headers)));
    this.#put.set(key, digest, tag, parts);
    return { from: to, tag };
  }

  /** Bytes that a kept release needs are kept beside before others take their place. */
  #keepOld(key: string, digest: string | undefined): Promise<void> {
    return this.#kept.keep(this.#rows.get(key), digest);
  }

  #findSources(missing: readonly SiteObject[]): Promise<Source[]> {
    return findSources(missing, this.#bucket, this.#rows, this.#put, (key) => this.#pathOf(key), this.#kept);
  }

  async #copy(source: Source): Promise<void> {
    const { key, digest } = source.object;
    if (this.#nameOf(key) === key) await this.#keepOld(key, digest);
    const { tag, parts } = await this.#inside.copyTo(source, this.#pathOf(key));
    this.#put.set(key, digest, tag, parts);
  }

  /** What waits beside goes to its place, stage by stage. */
  async #placeStaged(): Promise<void> {
    for (const stage of this.#staged) {
      if (stage.length === 0) continue;
      await pMap(await this.#findSources(stage), (source) => this.#copy(source), {
        concurrency: SIDE_BY_SIDE,
      });
      await this.#input.claim.hold();
    }
  }

  /** The pages that are seen by their folders' addresses go to the addresses that name a file too. */
  async #followTurn(): Promise<void> {
    if (!this.#input.turn.isNew) return;
    const turned = this.#plan.put.filter(({ key }) => this.#nameOf(key) !== key);
    await pMap(
      turned,
      async (object) => {
        const { key, digest } = object;
        await this.#keepOld(key, digest);
        const from = this.#pathOf(key);
        const source = { object, from, tag: this.#put.get(key)?.tag };
        const { tag, parts } = await this.#inside.copyTo(source, objectPath(this.#bucket, key));
        this.#put.set(key, digest, tag, parts);
      },
      { concurrency: SIDE_BY_SIDE },
    );
  }

  async #remove(key: string): Promise<void> {
    await this.#keepOld(key, undefined);
    await this.#client.done({ method: 'DELETE', path: objectPath(this.#bucket, key), expect: [404] });
  }
}

/** What is beside is nobody's page. */
const BESIDE = { 'content-type': 'application/octet-stream' };
