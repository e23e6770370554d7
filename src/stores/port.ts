/**
 * The port through which the rest of Fenestra sees any store of buckets. Everything in it can be done truthfully by a
 * store without transactions whose listings come late; what such a store cannot promise, its guarantees say.
 */
import type { Access, BucketSettings, BucketView } from '../core/hosting/bucket-view.js';
import type { ForeignChange } from '../core/release/foreign.js';
import type { SettingDrift } from '../core/release/setting-drift.js';
import type { ReleasePlan, ReleaseRecord } from '../core/release/release.js';
import type { SiteObject, StoredObject } from '../core/site/site-object.js';

/** What a store promises. Texts and jobs ask these, never which store it is. */
export interface Guarantees {
  /** A release appears whole, at a single instant. */
  readonly instant: boolean;
  /** Earlier releases are kept: `releases` and `keepReleases` are there, and `open` takes a release. */
  readonly history: boolean;
  /** What was put for a plan that is `staged` can be read before it is committed: its publications have `read`. */
  readonly staging: boolean;
  /** Single keys of an open bucket can be kept from the public. */
  readonly policyByKey: boolean;
  /** Whether moved addresses answer with a redirect; where it is left out they do. */
  readonly moved?: boolean;
}

export interface BucketState {
  readonly name: string;
  readonly access: Access;
  /** Milliseconds since the epoch. */
  readonly created: number;
  /** Whether somebody else has made it, and nothing was published to it yet: the first publish adopts it. */
  readonly isAdopted?: true;
  /** The current release; 0 before the first. */
  readonly release: number;
  readonly settings: BucketSettings;
  /** The identity of the site that the current release holds whole; undefined when that is not known. */
  readonly identity?: string | undefined;
  /** How many objects the release has, and bytes in them; undefined where only a listing could tell. */
  readonly objects?: number | undefined;
  readonly bytes?: number | undefined;
  /** What waits to be removed, and when the next of it is due: milliseconds since the epoch. */
  readonly waiting?: { readonly objects: number; readonly bytes: number; readonly next: number } | undefined;
}

/** Both ends included, from 0. */
export interface ByteRange {
  readonly start: number;
  readonly end: number;
}

/** Bytes piece by piece; a piece is only good until the next one is asked for. */
export type Pieces = AsyncIterable<Uint8Array>;

/** One release of a bucket; of an `instant` store it stays what it is however much is published meanwhile. */
export interface Snapshot {
  readonly state: BucketState;
  /** In the order of the keys' UTF-8 bytes, each key once; with those that wait to be removed. */
  objects(): AsyncIterable<StoredObject>;
  find(key: string): Promise<StoredObject | undefined>;
  /** Whether any key begins so and counts; only for stores whose hosts tell folders from what is missing. */
  hasBelow?(prefix: string, counts?: (key: string) => boolean): Promise<boolean>;
  /** An object's bytes, or a part of them. @throws FenestraError BODY_DAMAGED, also half-way */
  read(object: StoredObject, range?: ByteRange): Pieces;
  /**
   * What somebody else has changed past Fenestra, in key order; only for stores that others can write to. Costs a
   * listing of the whole bucket.
   * @param looks objects that are looked at one by one, the newest first; of more it is taken at the listing's word
   */
  foreign?(looks?: Looks): Promise<readonly ForeignChange[]>;
  /**
   * What of the store's own settings of the bucket, and of what lies beside it, is not as publishing has left it. Only
   * for stores that others can change.
   */
  settingsDrift?(): Promise<readonly SettingDrift[]>;
  close(): Promise<void>;
}

/** How much is looked at beside a listing. */
export interface Looks {
  readonly most: number;
  /** Whether objects are looked at too that the listing does not show as changed since the release. */
  readonly unchanged: boolean;
  readonly progress?: (looked: number, of: number) => void;
}

export interface ReadBody {
  readonly bytes: Buffer;
  /** Whether they are known to be the object's bytes; otherwise whoever takes them verifies them. */
  readonly verified: boolean;
}

/** An object's bytes before they are published, already compressed where the object is. */
export interface BodySource {
  readonly object: SiteObject;
  /** Where they come from, for messages. */
  readonly path: string;
  /**
   * All the bytes; asked for only when the object is small.
   * @param into where they may be put when there is room for them; they are given back as a part of it then
   */
  read(into?: Buffer): ReadBody | Promise<ReadBody>;
  /** The bytes piece by piece, each time from the first; whoever takes them verifies them. */
  pieces(): Iterable<Uint8Array> | AsyncIterable<Uint8Array>;
  /** The same for whoever only looks at them before they are sent; `pieces` where it is left out. */
  look?(): Iterable<Uint8Array> | AsyncIterable<Uint8Array>;
}

/**
 * A release in the making. Until it is committed nothing of it counts; a store that is not `instant` may show single
 * objects of it before, in the order in which they were put.
 */
export interface Publication {
  /**
   * Takes one body and verifies it. Done when the next one may come; what fails later fails a later call.
   * @throws FenestraError FILE_CHANGING, FILE_UNREADABLE, STORE_FULL, STORE_UNWRITABLE
   */
  put(body: BodySource): Promise<void>;
  /** Waits until everything that was put is durable and, where the store is `staging`, can be read. */
  settle(): Promise<void>;
  /** Reads a body of the release in the making. Only where the store is `staging`, of a plan that is `staged`, after `settle`. */
  read?(object: SiteObject, range?: ByteRange): Pieces;
  /**
   * Makes the release, with the plan that it began with: what is put is part of it, what is removed is gone, and what
   * stays is answered as before and says until when it is needed, and whether it waits. What is put over something that
   * is needed goes on being needed.
   * @param at milliseconds since the epoch
   * @throws FenestraError PUBLISHED_MEANWHILE, OPENED_MEANWHILE, BODIES_SWEPT, BUCKET_MISSING
   */
  commit(at: number): Promise<ReleaseRecord>;
  /** Lets go of it, committed or not; never throws. What was put may help the next publication. */
  abandon(): Promise<void>;
}

/** The objects of two releases, each in key order. What is in neither list is the same in both. */
export interface Differences {
  readonly from: readonly StoredObject[];
  readonly to: readonly StoredObject[];
}

/** What was given back. */
export interface Removed {
  readonly bodies: number;
  readonly bytes: number;
}

/** A store that lies on this machine and can answer a request at once, so that its buckets can be served. */
export interface Hosting {
  /** What was published since becomes visible; called once in a turn of the event loop. */
  refresh(): void;
  buckets(): readonly BucketState[];
  view(bucket: string): BucketView | undefined;
  /** All bytes of a small object, verified. @throws FenestraError BODY_DAMAGED */
  read(object: StoredObject): Promise<Buffer>;
  /** An object's bytes or a part of them, each piece verified. @throws FenestraError BODY_DAMAGED, also half-way */
  pieces(object: StoredObject, range: ByteRange): Pieces;
}

/** What a store over a network does with bodies. */
export interface BodyAbilities {
  /** Refuses a body that is not what its sum says. */
  readonly checksSums: boolean;
  /** Copies an object inside itself. */
  readonly copies: boolean;
  /** Takes a key that ends with a slash. */
  readonly folderKeys: boolean;
  /** Reads as one what was sent in segments. */
  readonly segments: boolean;
}

/** A store. Its failures are FenestraErrors; STORE_UNWRITABLE, STORE_FULL and STORE_DAMAGED may come from every call. */
export interface Store {
  /** Its name in the config. */
  readonly name: string;
  readonly guarantees: Guarantees;
  /** Where it says that it waits for a store that is busy; of a store that is asked over a network. */
  tellWaiting?(tell: (text: string) => void): void;
  /** How many requests it has made so far, of a store that is asked over a network. */
  readonly requests?: number;
  buckets(): Promise<readonly BucketState[]>;
  /** Undefined when there is no such bucket. */
  bucket(name: string): Promise<BucketState | undefined>;
  /** Where the public reads a bucket, with a closing slash, where the store itself says so. */
  address?(bucket: string): Promise<string>;
  /** Makes an empty, closed bucket. @throws FenestraError BUCKET_NAME, BUCKET_TAKEN */
  create(bucket: string, at: number): Promise<void>;
  /** Done when visitors see it. @throws FenestraError BUCKET_MISSING */
  changeAccess(bucket: string, access: Access): Promise<void>;
  /** Removes a bucket with its objects and releases, and what only they needed. @throws FenestraError BUCKET_MISSING */
  remove(bucket: string): Promise<Removed>;
  /**
   * @param release an earlier one, where the store has a `history`; 0 is the empty one. The current one, asked for by its
   * number, is as it was made; without a number it is as it lies there after a publish that was cut short
   * @throws FenestraError BUCKET_MISSING, RELEASE_UNKNOWN
   */
  open(bucket: string, release?: number): Promise<Snapshot>;
  /** Which of these bodies a publication to a bucket would have to send. A store that cannot tell names them all. */
  lacks(bucket: string, digests: Iterable<string>): Promise<ReadonlySet<string>>;
  /**
   * Digests of bodies that are known to be damaged. A publication that puts one of them heals it, whether it is
   * committed or not, and `lacks` names it until then. Only where a store can tell.
   */
  damaged?(): Promise<ReadonlySet<string>>;
  /** Begins the release that a plan describes. @throws FenestraError BUCKET_MISSING */
  begin(bucket: string, plan: ReleasePlan): Promise<Publication>;
  /** Newest first. Only with a `history`. @throws FenestraError BUCKET_MISSING */
  releases?(bucket: string): Promise<readonly ReleaseRecord[]>;
  /**
   * What two releases differ in, for a store that can tell without listing both; undefined where it cannot.
   * @throws FenestraError BUCKET_MISSING, RELEASE_UNKNOWN
   */
  differences?(bucket: string, from: number, to: number): Promise<Differences | undefined>;
  /** Forgets releases beyond the newest `keep`, with what only they needed. Only with a `history`. */
  keepReleases?(bucket: string, keep: number): Promise<Removed>;
  /** Puts back all that a snapshot's `settingsDrift` tells. Never opens a bucket. @throws FenestraError BUCKET_MISSING */
  mendSettings?(bucket: string): Promise<void>;
  /** What it does with bodies, tried in a bucket that is there for it; of a store that is asked over a network. */
  tryBodies?(bucket: string): Promise<BodyAbilities>;
  /** Only for a store on this machine. */
  hosting?(): Hosting;
  close(): Promise<void>;
}

/** What a module that makes a store exports as its default: the config names it with `module`. */
export interface StoreModule {
  (place: {
    /** The store's name in the config. */
    readonly name: string;
    /** Absolute path of the folder that the config stands in. */
    readonly folder: string;
    /** What the config says under `options`. */
    readonly options: Readonly<Record<string, unknown>>;
  }): Store | Promise<Store>;
}
