/** The cure of an answer that a visitor did not hope for: a command to type or config lines to change. */
import { parsePattern, folderMeant } from '../assign/pattern.js';
import { KeyIndex } from '../site/near-key.js';
import type { Answer } from './answer.js';
import type { BucketSettings } from './bucket-view.js';

/** What is known around an answer. Only looked at when something went wrong. */
export interface Surroundings {
  readonly bucket: string;
  readonly settings: BucketSettings | undefined;
  /** The keys that are published. */
  keys?(): Iterable<string>;
  /** Whether the site folder has a file for a key. */
  inSite?(key: string): boolean;
  /** The release in which a key was removed. */
  removedIn?(key: string): number | undefined;
  /** All buckets of the store. */
  buckets?(): readonly string[];
}

/** What to do, in one line; undefined when nothing is wrong. */
export function decideFix(answer: Answer, around: Surroundings): string | undefined {
  switch (answer.reason) {
    case 'closed':
      return `fenestra access open --sure ${around.bucket}`;
    case 'unreadable':
      return fixUnreadable(answer.key ?? '', around);
    case 'folder':
      return `write links to it with the closing slash, which saves this redirect: /${answer.key ?? ''}/`;
    case 'moved':
      return 'link to the new address, which saves this redirect';
    case 'method':
      return 'ask with GET or HEAD; a form needs a server of its own';
    case 'missing':
    case 'error-document':
      return fixMissing(answer.key ?? '', answer, around);
    case 'malformed':
      return 'percent-encode the address as UTF-8: a bare % is written %25';
    case 'too-long':
      return 'shorten the address';
    case 'no-bucket':
      return around.buckets && around.buckets().length > 0
        ? `ask one of http://{${around.buckets().join(',')}}.localhost`
        : 'fenestra publish';
    case 'precondition':
      return 'ask again without the condition, or with the ETag that is published now';
    case 'unsatisfiable':
      return 'ask for bytes that the object has';
    default:
      return undefined;
  }
}

function fixUnreadable(key: string, { settings, bucket, keys }: Surroundings): string {
  const readable = settings?.readable;
  if (!readable)
    return `its name looks secret; if it is meant for everyone, readable: { keys: ["**"] }, then fenestra publish`;
  const covering = readable.keys.filter((pattern) => parsePattern(pattern)(key));
  const barring = readable.except.filter((pattern) => parsePattern(pattern)(key));
  if (barring.length > 0 && covering.length > 0) {
    return `if it is meant for everyone, take ${quote(barring)} out of readable.except, then fenestra publish`;
  }
  const faulty = readable.keys.find((pattern) => pattern !== pattern.trim());
  if (faulty !== undefined)
    return `the pattern "${faulty}" has white space around it: readable: { keys: ["${faulty.trim()}"] }`;
  const named = readable.keys.find((pattern) => pattern.replace(/^\//, '').split('/')[0] === bucket);
  if (named !== undefined)
    return `the pattern "${named}" names the bucket, which is no part of a key: readable: { keys: ["${named.replace(/^\//, '').split('/').slice(1).join('/') || '**'}"] }`;
  const folder = keys
    ? readable.keys
        .map((pattern) => folderMeant(pattern, [...keys()]))
        .find((meant) => meant !== undefined && parsePattern(meant)(key))
    : undefined;
  if (folder !== undefined)
    return `the policy names the folder and not what is in it: readable: { keys: ["${folder}"] }, then fenestra publish`;
  const slash = key.lastIndexOf('/');
  const nearest = slash < 0 ? key : `${key.slice(0, slash)}/**`;
  return `add "${nearest}" to readable.keys, then fenestra publish`;
}

const quote = (patterns: readonly string[]): string => patterns.map((pattern) => `"${pattern}"`).join(', ');

function fixMissing(key: string, answer: Answer, around: Surroundings): string {
  if (around.inSite?.(key)) return `${key} is in the site folder and was never published: fenestra publish`;
  const near = new KeyIndex(around.keys?.() ?? []).near(key);
  const spelling = near?.because === 'it is spelt almost so';
  if (near && !spelling)
    return near.misnamed
      ? `${near.because}: rename the file to ${key} and fenestra publish`
      : `${near.because}: ask for /${near.key}`;
  const removed = around.removedIn?.(key);
  if (removed !== undefined)
    return `it was published until release ${removed - 1} and was removed in release ${removed}: put the file back and fenestra publish`;
  if (near) return `did you mean /${near.key}?`;
  if (answer.reason === 'missing' && around.settings?.documents.error === null)
    return 'correct the address; for a friendlier page, name an error document under documents.error';
  return 'correct the address, or publish an object under this key';
}
