/** What a kind of store is. */
import type { Quirks } from '../core/hosting/quirks.js';
import type { ReleaseRecord } from '../core/release/release.js';
import type { BucketState, Store } from './port.js';

/** Where a store is to be found, as the config says it. */
export interface StorePlace {
  /** Its name in the config. */
  readonly name: string;
  /** Undefined for the kind of the store `here`. */
  readonly kind: string | undefined;
  /** Where it stands in the config: `fenestra.yaml:3:12`. */
  readonly place?: string;
  /** Absolute path of the folder that the config stands in. */
  readonly folder: string;
  readonly options: Readonly<Record<string, unknown>>;
}

export interface StoreGlance {
  readonly buckets: readonly BucketState[];
  /** By bucket, newest first, where they are not too many to be kept in mind. */
  readonly releases: ReadonlyMap<string, readonly ReleaseRecord[]>;
}

export interface StoreKind {
  /** One line for the docs. */
  readonly explain: string;
  /** The option that chooses this kind when it is given without `kind`. */
  readonly chosenBy?: string;
  /** On which points it answers otherwise than the emulation does of itself. */
  readonly quirks?: Partial<Quirks>;
  /** Whether it lies on another machine, so that its buckets are never served here. */
  readonly isElsewhere?: true;
  /** Whether there is anything to look at; a store elsewhere is always there. */
  isThere(place: StorePlace): boolean;
  /** Makes it where there is none. */
  open(place: StorePlace): Promise<Store>;
  /** What is known without opening the store; undefined where nothing is for certain. */
  glance?(place: StorePlace): StoreGlance | undefined;
}
