/** What naming a site works with, and what comes of it. */
import type { Buffer } from 'node:buffer';
import type { Readings } from '../reading/readings.js';
import type { MovedSetting } from '../hosting/bucket-view.js';
import type { Digest } from './integrity.js';
import type { LinkReader } from './links.js';
import type { NamedFile } from '../reading/names-in-text.js';
import type { TextEdit } from './rename-reference.js';
import type { Versionable } from './versionable.js';

/** An object under its plain name. */
export interface PlainObject {
  readonly key: string;
  /** Its Content-Type; '' when it has none. */
  readonly type: string;
  /** Digest of its bytes without any content coding, where that is known without reading them. */
  readonly content: string | undefined;
  /** The row of its reading, where it is a text. */
  readonly row: number | undefined;
}

/** What is known of the bytes of a rewritten object. */
export interface Rewritten {
  /** As they are published. */
  readonly digest: string;
  readonly size: number;
  /** Of the bytes without any content coding. */
  readonly content: string;
}

export interface NamingInput {
  /** In key order. */
  readonly objects: readonly PlainObject[];
  readonly versionable: Versionable;
  readonly readings: Readings;
  /** @param isNamed whether an object gets another name, by its number */
  readonly links: (numberOf: (key: string) => number | undefined) => LinkReader;
  /** Names in a text that are no references. */
  readonly names: (object: number) => readonly NamedFile[];
  readonly moved: MovedSetting;
  /** A text's bytes without any content coding. */
  readonly read: (object: number) => Promise<Buffer>;
  readonly textOf: (object: number, bytes: Buffer) => string | undefined;
  /** Carries edits out; undefined where the result would not be the text that is meant. */
  readonly rewrite: (object: number, bytes: Buffer, edits: readonly TextEdit[]) => Buffer | undefined;
  /** What rewritten bytes are published as, known from last time where bytes and edits are the same. */
  readonly publish: (
    object: number,
    edits: readonly TextEdit[],
    rewritten: () => Promise<Buffer | undefined>,
  ) => Promise<Rewritten | undefined>;
  /**
   * Looks for names in everything that is published, as it is published then.
   * @param names last parts of keys @param editsOf what changes in an object, by its number
   */
  readonly search: (
    names: readonly string[],
    editsOf: (object: number) => readonly TextEdit[],
  ) => Iterable<NameFound>;
  readonly digest: Digest;
  readonly digestText: (text: string) => string;
  readonly advance: (done: number) => void;
}

/** A name that stands somewhere else than in a reference that was rewritten. */
export interface NameFound {
  /** Its place among those that were looked for. */
  readonly name: number;
  readonly object: number;
  readonly line: number;
}

/** Why an object has to be found under its plain name too. */
export interface Uncertain {
  readonly target: number;
  /** The text, or undefined for a moved address. */
  readonly object: number | undefined;
  readonly line: number;
  /** As it is written, with an ellipsis for what only a script could tell. */
  readonly written: string;
  readonly how: 'name' | 'pieces' | 'place' | 'moved' | 'text' | 'occurs';
  /** Of a text that could not be rewritten: why. */
  readonly because?: string;
}

/** A reference that led to an object and would lead to none: only a fault of our own brings it about. */
export interface Lost {
  /** The text that it stands in. */
  readonly key: string;
  readonly line: number;
  readonly written: string;
  /** Where it led. */
  readonly target: string;
}

export interface SiteNames {
  /** By the number of the object: its key under its versioned name. */
  readonly versioned: ReadonlyMap<number, string>;
  readonly edits: ReadonlyMap<number, readonly TextEdit[]>;
  readonly rewritten: ReadonlyMap<number, Rewritten>;
  /** Numbers of versioned objects that stand under their plain name too. */
  readonly keptPlain: ReadonlySet<number>;
  /** Numbers of objects that were to have versioned names, and have their plain ones alone. */
  readonly leftPlain: ReadonlySet<number>;
  readonly uncertain: readonly Uncertain[];
  readonly lost: readonly Lost[];
}

/** Objects with a versioned name, and those of them that have their plain one too. */
export interface NameCounts {
  readonly versioned: number;
  readonly plainToo: { readonly objects: number; readonly bytes: number };
}
