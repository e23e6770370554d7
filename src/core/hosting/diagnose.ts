/** What would help with an answer that a visitor did not hope for, as data; report/text says it in words. */
import { parsePattern, folderMeant } from '../assign/pattern.js';
import { INDEX_NAMES } from '../site/document-names.js';
import { KeyIndex } from '../site/near-key.js';
import type { Answer } from './answer.js';
import type { BucketSettings } from './bucket-view.js';

/** What is known around an answer. Only looked at when something went wrong. */
export interface DiagnosisInput {
  readonly bucket: string;
  readonly settings: BucketSettings | undefined;
  /** Of the bucket; 0 where nothing was published yet. */
  readonly release?: number | undefined;
  /** Whether a key is published. */
  has?(key: string): boolean;
  /** The folder of the bucket that the site lies in, with its closing slash. */
  readonly under?: string | undefined;
  /** The keys that are published. */
  keys?(): Iterable<string>;
  /** Whether the site folder has a file for a key. */
  inSite?(key: string): boolean;
  /** The release in which the key was removed. */
  readonly removedIn?: number | undefined;
  /** The key under which the object is published, where it is a versioned name of this one. */
  readonly versionedAs?: string | undefined;
  /** The key that has its bytes since. */
  readonly renamedTo?: string | undefined;
}

export type Fix =
  | { readonly code: 'open-bucket'; readonly bucket: string }
  /** The key is private because its name looks secret. */
  | { readonly code: 'allow-secret-name' }
  /** Patterns of `readable.except` keep the key private. */
  | { readonly code: 'narrow-except'; readonly patterns: readonly string[] }
  | { readonly code: 'trim-pattern'; readonly pattern: string }
  | { readonly code: 'pattern-names-bucket'; readonly pattern: string; readonly becomes: string }
  | { readonly code: 'pattern-names-folder'; readonly becomes: string }
  | { readonly code: 'cover-key'; readonly pattern: string }
  | { readonly code: 'publish-key'; readonly key: string }
  /** Nothing was published yet. */
  | { readonly code: 'publish-first' }
  /** The config names an index document that the folder does not have, and it has another. */
  | { readonly code: 'name-index-document'; readonly index: string; readonly found: string }
  /** A key that was probably meant, and how it differs. */
  | { readonly code: 'rename-file' | 'ask-for'; readonly key: string; readonly because: string }
  | { readonly code: 'decompress-file'; readonly key: string; readonly because: string }
  | { readonly code: 'near-key'; readonly key: string }
  | { readonly code: 'was-removed'; readonly release: number }
  /** It is published under its versioned name alone. */
  | { readonly code: 'ask-for-version'; readonly key: string; readonly versioned: string }
  /** Its bytes have another key since. */
  | {
      readonly code: 'was-renamed';
      readonly release: number;
      readonly key: string;
      readonly becomes: string;
    }
  | { readonly code: 'name-error-document' | 'correct-address' | 'new-address' }
  | { readonly code: 'closing-slash'; readonly key: string }
  | { readonly code: 'only-reading' | 'percent-encode' | 'shorten-address' | 'make-bucket' }
  | { readonly code: 'drop-condition' | 'ask-existing-bytes' };

/** What to do; undefined when nothing is wrong. */
export function decideFix(answer: Answer, around: DiagnosisInput): Fix | undefined {
  switch (answer.reason) {
    case 'closed':
      return { code: 'open-bucket', bucket: around.bucket };
    case 'unreadable':
      return fixUnreadable(answer.key ?? '', around);
    case 'folder':
      return { code: 'closing-slash', key: answer.key ?? '' };
    case 'moved':
      return { code: 'new-address' };
    case 'method':
      return { code: 'only-reading' };
    case 'missing':
    case 'error-document':
      return fixMissing(answer.key ?? '', answer, around);
    case 'malformed':
      return { code: 'percent-encode' };
    case 'too-long':
      return { code: 'shorten-address' };
    case 'no-bucket':
      return { code: 'make-bucket' };
    case 'precondition':
      return { code: 'drop-condition' };
    case 'unsatisfiable':
      return { code: 'ask-existing-bytes' };
    default:
      return undefined;
  }
}

function fixUnreadable(key: string, { settings, bucket, keys }: DiagnosisInput): Fix {
  const readable = settings?.readable;
  if (!readable) return { code: 'allow-secret-name' };
  const covering = readable.keys.filter((pattern) => parsePattern(pattern)(key));
  const barring = readable.except.filter((pattern) => parsePattern(pattern)(key));
  if (barring.length > 0 && covering.length > 0) return { code: 'narrow-except', patterns: barring };
  const faulty = readable.keys.find((pattern) => pattern !== pattern.trim());
  if (faulty !== undefined) return { code: 'trim-pattern', pattern: faulty };
  const named = readable.keys.find((pattern) => pattern.replace(/^\//, '').split('/')[0] === bucket);
  if (named !== undefined) {
    const becomes = named.replace(/^\//, '').split('/').slice(1).join('/') || '**';
    return { code: 'pattern-names-bucket', pattern: named, becomes };
  }
  const all = keys ? [...keys()] : [];
  const folder = readable.keys
    .map((pattern) => folderMeant(pattern, all))
    .find((meant) => meant !== undefined && parsePattern(meant)(key));
  if (folder !== undefined) return { code: 'pattern-names-folder', becomes: folder };
  const slash = key.lastIndexOf('/');
  return { code: 'cover-key', pattern: slash < 0 ? key : `${key.slice(0, slash)}/**` };
}

/** Another index document than the one that is named, in the folder that was asked for. */
function otherIndex(key: string, { settings, has }: DiagnosisInput): Fix | undefined {
  const index = settings?.documents.index;
  if (index === undefined || !has || !(key === index || key.endsWith(`/${index}`))) return undefined;
  const folder = key.slice(0, -index.length);
  // The root has it: then it is this folder that lacks one.
  if (folder !== '' && has(index)) return undefined;
  const found = INDEX_NAMES.find((name) => name !== index && has(folder + name));
  return found === undefined ? undefined : { code: 'name-index-document', index, found };
}

function fixMissing(key: string, answer: Answer, around: DiagnosisInput): Fix {
  if (around.release === 0) return { code: 'publish-first' };
  const found = otherIndex(key, around);
  if (found) return found;
  if (around.versionedAs !== undefined)
    return { code: 'ask-for-version', key, versioned: around.versionedAs };
  if (around.inSite?.(key)) return { code: 'publish-key', key };
  const near = new KeyIndex(around.keys?.() ?? [], around.under).near(key);
  const spelling = near?.because === 'it is spelt almost so';
  if (near?.compressed) return { code: 'decompress-file', key, because: near.because };
  if (near && !spelling)
    return near.misnamed
      ? { code: 'rename-file', key, because: near.because }
      : { code: 'ask-for', key: near.key, because: near.because };
  if (around.removedIn !== undefined && around.renamedTo !== undefined)
    return { code: 'was-renamed', release: around.removedIn, key, becomes: around.renamedTo };
  if (around.removedIn !== undefined) return { code: 'was-removed', release: around.removedIn };
  if (near) return { code: 'near-key', key: near.key };
  if (answer.reason === 'missing' && around.settings?.documents.error === null)
    return { code: 'name-error-document' };
  return { code: 'correct-address' };
}
