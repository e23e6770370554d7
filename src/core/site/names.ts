/** What a file's name alone says of it. */
import { fileName } from './key.js';

/**
 * Whether a name carries a hash of its content, so that new bytes come under a new name:
 * `app.3f9a2b1c.js`, `main-Dk3xQz9a.css`. A date such as 20240131 or a version such as 1.12.2 is none.
 */
export function hasContentHash(key: string): boolean {
  const name = fileName(key);
  const stem = name.replace(/(\.[A-Za-z0-9]{1,12}){1,2}$/, '');
  const parts = name.split(/[.\-_]/).slice(1, -1);
  const tail = stem
    .split(/[.\-_]/)
    .slice(1)
    .at(-1);
  if (tail !== undefined) parts.push(tail);
  return parts.some(looksHashed) || /^[0-9a-f]{16,64}$/.test(stem);
}

/** Whether a part of a name is a hash and no word, date or number. */
export const looksHashed = (part: string): boolean =>
  (/^[0-9a-f]{8,64}$/.test(part) && /[0-9]/.test(part) && /[a-f]/.test(part)) ||
  (/^[A-Za-z0-9]{8,24}$/.test(part) &&
    /[0-9]/.test(part) &&
    /[a-z]/.test(part) &&
    /[A-Z]/.test(part) &&
    !/^[A-Z]?[a-z]+[0-9]*$/.test(part));

/** Whether somebody has put a version into a name by hand: `menu-v2.js`, `lib-1.12.2.js`. A size or a year is none. */
export const hasVersion = (key: string): boolean =>
  /[._-](?:v\d{1,6}(?:\.\d{1,6}){0,3}|\d{1,6}(?:\.\d{1,6}){1,3})(?:[._-]|$)/i.test(fileName(key));

/** Whether a query of an address is a version that somebody gives by hand: `?v=3`, `?1.12.2`, `?rev=20251130`. */
export const hasVersionQuery = (address: string): boolean =>
  /\?(?:(?:v|ver|version|rev|revision|r|build|hash|h|t|ts|cb)=[\w.-]{1,64}|[\w.-]{0,63}\d[\w.-]{0,63})(?:[&#]|$)/i.test(
    address,
  );

const SYSTEM_LITTER = /^(?:thumbs\.db|ehthumbs\.db|desktop\.ini|icon\r|\$recycle\.bin|__macosx)$/i;

/**
 * Whether a path segment keeps its file out of the site: dot names and what operating systems leave behind.
 * `.well-known` is published, since standards ask for it there.
 */
export function isLeftOut(segment: string): boolean {
  if (segment.charCodeAt(0) === 46) return segment !== '.well-known';
  return SYSTEM_LITTER.test(segment);
}

const SECRET_NAME =
  /^(?:id_(?:rsa|dsa|ecdsa|ed25519)|.*\.(?:pem|key|pfx|p12|jks|keystore|kdbx|ovpn)|(?:secrets?|credentials?|passwords?|passwd|htpasswd)(?:\.(?:json|ya?ml|toml|ini|conf|cfg|txt|csv|xml|db|sqlite))?|\.env(?:\..+)?|.*\.env)$/i;
const SECRET_FOLDER = /(?:^|\/)(?:private|secrets?|\.git|\.svn|\.hg)\//i;

/** Whether a key looks like something that was never meant for the public. */
export const looksSecret = (key: string): boolean =>
  SECRET_NAME.test(fileName(key)) || SECRET_FOLDER.test(key);

const PEOPLE =
  '(?:members?|accounts?|profiles?|users?|customers?|subscribers?|visitors|orders?|bookings?|invoices?|form-results?|responses)';
/** A folder of that name, or a data file; a page about the subject is only a page. */
const PERSONAL_PLACE = new RegExp(
  `(?:^|/)${PEOPLE}(?:/|\\.(?:json|csv|tsv|xlsx?|ods|xml|sqlite|db|vcf)$)`,
  'i',
);

/** Whether a key names a place where data about people is usually kept. */
export const looksPersonal = (key: string): boolean => PERSONAL_PLACE.test(key);

const BACKUP = /(?:~|\.(?:bak|old|orig|swp|swo|tmp|temp)|^#.*#|\.copy)$/i;
const SITE_ARCHIVE =
  /^(?:site|www|public|dist|build|backup|html|htdocs|website|export)[\w.-]*\.(?:zip|tar|tgz|tar\.gz|7z|rar)$/i;

export type UnwantedKind = 'secret' | 'backup' | 'archive' | 'source-map';

/** What kind of file that should not be published a key is, if any. */
export function unwantedKind(key: string): UnwantedKind | undefined {
  const name = fileName(key);
  if (looksSecret(key)) return 'secret';
  if (BACKUP.test(name)) return 'backup';
  if (SITE_ARCHIVE.test(name)) return 'archive';
  if (/\.(?:js|mjs|css)\.map$/i.test(name)) return 'source-map';
  return undefined;
}
