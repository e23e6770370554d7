/** The shapes that the rest of the core speaks of. */

/** Header names in their usual spelling (`Content-Type`) to their values. */
export type ObjectHeaders = Readonly<Record<string, string>>;

/** What was learned of a file by reading it. Never decides anything by itself; findings read it. */
export interface Facts {
  /** The media type that the leading bytes give away; '' when they give nothing away. */
  readonly sniffed: string;
  /** The charset that a page or style declares in itself, lower case; '' when it declares none. */
  readonly charset: string;
  /** Whether the bytes are valid UTF-8. */
  readonly utf8: boolean;
  /** Whether the bytes hold what looks like people's e-mail addresses. */
  readonly emails: boolean;
  /** In what language of server programs it is written, or holds a part that is; absent where in none. */
  readonly program?: string;
}

export const NO_FACTS: Facts = { sniffed: '', charset: '', utf8: true, emails: false };

/** One object as it would be published, or as it was. */
export interface SiteObject {
  readonly key: string;
  /** Bytes, as stored. */
  readonly size: number;
  /** SHA-256 of the stored bytes, lower-case hexadecimal. */
  readonly digest: string;
  readonly headers: ObjectHeaders;
  /** The key under its plain name, where its own is versioned: patterns match this one. */
  readonly plain?: string;
}

/** The name that patterns match. */
export const plainKey = ({ key, plain }: Pick<SiteObject, 'key' | 'plain'>): string => plain ?? key;

/** What is published of an object, and nothing else that is known of it. */
export const siteObject = ({ key, size, digest, headers, plain }: SiteObject): SiteObject =>
  plain === undefined ? { key, size, digest, headers } : { key, size, digest, headers, plain };

/** An object as a bucket holds it. */
export interface StoredObject extends SiteObject {
  /** When its current bytes or headers were published: milliseconds since the epoch. */
  readonly since: number;
  /** Until when a page that somebody holds may ask for it: milliseconds since the epoch. */
  readonly neededUntil?: number;
  /** The MD5 of the stored bytes, lower-case hexadecimal, where their digest is not known ('') and this is. */
  readonly md5?: string;
  /** Whether no page of the release names it any more, so that it waits to be removed. */
  readonly waits?: true;
}
