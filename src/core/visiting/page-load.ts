/** What loading one page asks for, in the order in which a browser meets it, and what cannot be known. */
import type { Use } from '../reading/reading.js';
import type { ObjectHeaders } from '../site/site-object.js';

export type LoadUse =
  Exclude<Use, 'link' | 'identity' | 'form' | 'source map'> | 'page' | 'icon' | 'prefetch';

/**
 * What must have come before it is asked for: what it is met in (`met`), that and all that holds up the first layout
 * (`layout`), or everything else (`late`).
 */
export type When = 'met' | 'layout' | 'late';

export interface Wanted {
  /** The whole address without its fragment. */
  readonly url: string;
  readonly use: LoadUse;
  /** The place in the list of what it is met in; -1 for the page itself. */
  readonly by: number;
  readonly when: When;
  /** Whether the first layout waits for it. */
  readonly blocking: boolean;
  /** Asked for by a frame that shares nothing with anybody: it is never kept. */
  readonly apart?: true;
  /** A page that is fetched ahead of its time. */
  readonly ahead?: true;
  /** Of icons that are tried beside others: whether it is the first, and whether it is the one that is kept. */
  readonly tried?: { readonly isFirst: boolean; readonly isKept: boolean };
  /** Known only since a browser was seen to ask for it. */
  readonly seen?: true;
}

export interface PageLoad {
  readonly url: string;
  /** Each after what it is met in. */
  readonly wanted: readonly Wanted[];
  readonly unknown: Unknown;
}

/** What nobody can know without running the page. */
export interface Unknown {
  /** Scripts, which may ask for more. */
  readonly scripts: number;
  /** Pictures that are asked for when they come near: how near they are was estimated. */
  readonly lazy: number;
  /** Films of which a browser reads as much as it wants. */
  readonly media: number;
  /** Scripts and pictures further down of which a browser was seen to ask. */
  readonly seen: number;
  /** Requests to other hosts, of which nothing is known. */
  readonly elsewhere: readonly string[];
  /** How many those are. */
  readonly elsewhereRequests: number;
  /** What may load something in a way that is not known here, in words: `the property offset-path`. */
  readonly others: readonly string[];
}

/** What an address gives to a plain GET. */
export interface SiteAnswer {
  readonly status: number;
  /** Without Date. */
  readonly headers: ObjectHeaders;
  /** Bytes of the head, and of the head of a 304 to the same. */
  readonly head: number;
  readonly confirmedHead: number;
  /** Bytes of the body. */
  readonly size: number;
  readonly key?: string | undefined;
  /** The same under its plain name, where `key` is a versioned one. */
  readonly plain?: string;
  /** The page of an app, at an address of its own. */
  readonly ofApp?: true;
}

/** Bytes in which a picture says how large it is. */
export const HEAD = 1024;

/** The site that is visited: a release, a folder, or an endpoint. */
export interface VisitedSite {
  /** Undefined for addresses of other hosts. */
  ask(url: string): Promise<SiteAnswer | undefined>;
  /** The first bytes of what an address gives, at most `HEAD`. */
  head(url: string, answer: SiteAnswer): Promise<Uint8Array | undefined>;
  /** The text of what an address gives. */
  text(url: string, answer: SiteAnswer): Promise<string | undefined>;
}
