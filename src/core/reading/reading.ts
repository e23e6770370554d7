/** What reading one object's text gives: what it refers to, and what the rules want to know of it. */

/** What a reference is for, which decides what a browser makes of its target. */
export type Use =
  | 'link'
  /** Says where this page itself lives: canonical, alternate, feeds and sitemaps, cards for other sites. */
  | 'identity'
  | 'style'
  | 'script'
  | 'module'
  | 'image'
  | 'media'
  | 'captions'
  | 'font'
  | 'manifest'
  | 'frame'
  | 'form'
  | 'data'
  | 'source map';

/** How an address is written where not every letter stands for itself. */
export type Escaping = 'html' | 'css' | 'json' | 'xml';

/** Where in its text an address is written, in UTF-16 units. */
export interface Span {
  /** -1 where that cannot be told. */
  readonly at: number;
  readonly length: number;
  /** Absent where the address is written as it is. */
  readonly escaping?: Escaping;
}

export const NOWHERE: Span = { at: -1, length: 0 };

/** A reference as it is written; in the order in which a browser that reads the text meets them. */
export interface Reference extends Span {
  readonly use: Use;
  readonly raw: string;
  /** Counts from 1. */
  readonly line: number;
  /** The type that the page declares for it. */
  readonly declared?: string;
  /** For forms: the method, upper case, where it is not GET. */
  readonly method?: string;
  /** Whether a module names it, so that a bare name is no address. */
  readonly imported?: boolean;
  /** Whether a browser meets it only when styles inside the text are applied. */
  readonly styled?: boolean;
  /** A preload that a later use will not match for want of `crossorigin`. */
  readonly withoutCors?: boolean;
  /** Set by `crossorigin`: whether a browser asks for it with the visitor's credentials. */
  readonly cors?: 'anonymous' | 'credentials';
}

/**
 * `map` is a source map, `model` a glTF; `data` is read by others, and only what it seems to name counts. What is no
 * page, style, script, manifest or feed is read for versioned names alone.
 */
export type ReadingKind =
  | 'page'
  | 'style'
  | 'script'
  | 'manifest'
  | 'feed'
  | 'map'
  | 'svg'
  | 'playlist'
  | 'captions'
  | 'model'
  | 'data';

/** Digests that the bytes of a reference's target must have (Subresource Integrity). */
export interface Integrity {
  /** The number of the reference, from 0; -1 where an import map names the address, which stands in `of`. */
  readonly reference: number;
  readonly of?: Span & { readonly raw: string };
  readonly value: string;
  readonly at: number;
  readonly length: number;
}

/** What an import map maps, and where to. The place is the name's. */
export interface MappedName extends Span {
  readonly name: string;
  readonly address: string;
  /** Where it holds alone: for modules at this address, or below it where it ends with a slash. */
  readonly scope?: string;
}

/** An element that a rule asks for by its name. */
export interface NeededElement {
  /** Lower case. */
  readonly name: string;
  /** Counts from 1. */
  readonly line: number;
  /** Names in lower case, values as a browser has them. */
  readonly attributes: Readonly<Record<string, string>>;
  /** All text in it, in the order in which it stands there, white space as one blank. */
  readonly text: string;
}

export interface Reading {
  readonly kind: ReadingKind;
  readonly references: readonly Reference[];
  /** What `<base>` sets, as written. */
  readonly base?: string;
  /** Hashes of the fragments that lead somewhere in it (see `hashOf`); undefined for what has none. */
  readonly anchors?: Uint32Array;
  /** Whether it came without a doctype, so that browsers fall back to quirks mode. */
  readonly quirksMode?: boolean;
  /** Whether a page shows anything: text, a picture, a form… */
  readonly empty?: boolean;
  /** Whether a page has a style sheet in itself. */
  readonly styled?: boolean;
  /** Whether a page runs scripts, which may show and link what nobody can read in it. */
  readonly scripted?: boolean;
  /** Names of features that browsers give to secure pages alone, with the line of the first use. */
  readonly secureFeatures?: readonly { readonly feature: string; readonly line: number }[];
  /** Code that only a server could run, with its line. */
  readonly serverCode?: { readonly what: string; readonly line: number };
  /** Whether a page maps bare names of modules. */
  readonly importMap?: boolean;
  readonly mapped?: readonly MappedName[];
  readonly integrity?: readonly Integrity[];
  /** What rules ask of a page beside all this; in a reading of its own. */
  readonly elements?: readonly NeededElement[];
  /** Why it could not be read as what it is. */
  readonly fault?: { readonly because: string; readonly line: number };
}
