/** What a survey of the site knows of each object. */
import type { Decision } from '../assign/cascade.js';
import type { TextEdit } from '../versioning/rename-reference.js';
import type { Facts, SiteObject } from './site-object.js';

export interface FileStamp {
  readonly size: number;
  readonly mtimeMs: number;
  readonly ctimeMs: number;
  readonly inode: number;
}

/** How a text becomes what is published: with other names in it. */
export interface Rewrite {
  /** Of the object as it is on disk, with any content coding that it is published with. */
  readonly digest: string;
  /** In which its text is decoded for the edits. */
  readonly charset: string;
  readonly edits: Iterable<TextEdit>;
}

export interface SurveyObject extends SiteObject {
  /** Relative to the site, as it is on disk; the key may be its NFC form. */
  readonly path: string;
  /** The file's size and times when it was surveyed, by which a later change is noticed. */
  readonly stamp: FileStamp;
  readonly decision: Decision;
  readonly facts: Facts;
  readonly public: boolean;
  readonly rewrite?: Rewrite;
}
