/** What the rules of the inspection see of a release: what its texts refer to, and what became of each reference. */
import type { Refusal } from './neighbour.js';
import type { BucketView } from '../hosting/bucket-view.js';
import type { Places } from '../findings/places.js';
import type { KeyIndex } from '../site/near-key.js';
import type { StoredObject } from '../site/site-object.js';
import type { NeededElement, Reading, ReadingKind, Reference, Use } from '../reading/reading.js';

/** What is wrong with a reference. */
export type TargetProblem =
  | 'missing'
  | 'case'
  | 'folder'
  | 'unreadable'
  | 'moved'
  | 'malformed'
  /** Names a file on somebody's disk. */
  | 'disk'
  /** Loads over plain HTTP. */
  | 'insecure'
  /** Spells out the address that the site has here. */
  | 'endpoint'
  | 'fragment'
  /** A module's bare name that nothing maps. */
  | 'bare'
  /** Leads to the root of a host below which the site lies. */
  | 'outside'
  /** Loads from another bucket what that does not share with this site. */
  | 'not-shared'
  /** A form that posts to a bucket. */
  | 'post';

/** A reference with something wrong, once for each address and trouble. */
export interface FaultyReference {
  readonly problem: TargetProblem;
  readonly use: Use;
  /** As written at its first place. */
  readonly raw: string;
  /** The key of the object that it stands in, and the line: the first place. */
  readonly from: string;
  readonly line: number;
  /** All places that have it. */
  readonly places: Places;
  /** The address as a path with its leading slash; '' where it has none on this site. */
  readonly path: string;
  /** The key that the address names, where it names one. */
  readonly key?: string;
  /** Where to, for a moved address; the fragment, for a missing one. */
  readonly detail?: string;
  /** Why browsers refuse it. */
  readonly refusal?: Refusal;
}

/** Something that pages make a browser load, once for each use of each object. */
export interface Load {
  readonly use: Use;
  readonly object: StoredObject;
  readonly declared?: string;
  /** Whether the first page that loads it is in quirks mode, as pages without a doctype are. */
  readonly quirksMode: boolean;
  readonly withoutCors: boolean;
  readonly from: string;
  readonly line: number;
  readonly places: Places;
}

export interface Location {
  readonly key: string;
  readonly line: number;
  readonly what: string;
}

/** An address that the site itself uses, with the first place that does. */
export interface UsedAddress {
  readonly path: string;
  readonly from: string;
  readonly line: number;
  readonly raw: string;
}

/** A page with the elements that rules need. */
export interface NeededPage {
  readonly key: string;
  /** @param name one that a rule needs */
  elements(name: string): readonly NeededElement[];
}

export interface ReleaseContext {
  /** The release as it is once its bucket is open. */
  readonly view: BucketView;
  /** In key order. */
  readonly objects: readonly StoredObject[];
  readonly index: KeyIndex;
  readonly links: readonly FaultyReference[];
  readonly loads: readonly Load[];
  readonly addresses: readonly UsedAddress[];
  /** What was read of the index document of the root, of the error document, and of pages of applications by key. */
  readonly documents: {
    readonly index?: Reading | undefined;
    readonly error?: Reading | undefined;
    readonly apps: ReadonlyMap<string, Reading>;
  };
  /** Features that browsers give to secure pages alone, where they are asked for. */
  readonly secureFeatures: readonly Location[];
  readonly serverCode: readonly Location[];
  /** All pages, for rules that need elements of them. */
  readonly pages: readonly NeededPage[];
  readonly faults: readonly (Location & { readonly kind: ReadingKind })[];
  /** Keys that are loaded by addresses with a version alone: `site.css?v=3`. */
  readonly versionedByQuery: ReadonlySet<string>;
  /** The public address of the site, with its closing slash. */
  readonly address: string;
  /** The folder of the bucket that the site lies in, with its closing slash; '' at the root. */
  readonly under: string;
  /** The path of the host below which the bucket is served, with its closing slash; '/' at the root. */
  readonly place: string;
  /** Where the rule stands that gives a key its type (`fenestra.yaml line 12`); undefined where a default does. */
  readonly typeRule: (key: string) => string | undefined;
  /** The type that the leading bytes of an object are of; undefined where they tell none. */
  readonly bytesAre: (key: string) => string | undefined;
}

/** Whether a reference makes a browser fetch its target without anybody clicking. */
export const isLoad = (use: Reference['use']): boolean =>
  use !== 'link' && use !== 'identity' && use !== 'form' && use !== 'source map';
