/** What the resolver returns. */
import type { StoredObject } from '../site/site-object.js';
import type { ByteRange } from './byte-range.js';

/** Why an address answers as it does, for code to branch on. */
export type Reason =
  | 'object'
  | 'index'
  | 'error-document'
  /** An application's page, at an address of its own. */
  | 'app'
  | 'moved'
  | 'folder'
  | 'options'
  | 'not-modified'
  | 'range'
  | 'method'
  | 'malformed'
  | 'too-long'
  | 'no-bucket'
  /** Elsewhere on a host that serves the bucket below a path. */
  | 'outside'
  | 'closed'
  | 'unreadable'
  | 'missing'
  | 'precondition'
  | 'unsatisfiable';

export type StepName =
  | 'method'
  | 'target'
  | 'host'
  | 'access'
  | 'moved'
  | 'policy'
  | 'key'
  | 'index'
  | 'folder'
  | 'app'
  | 'sharing'
  | 'error document'
  | 'preconditions'
  | 'range'
  | 'headers';

export interface Step {
  readonly step: StepName;
  readonly outcome: string;
  readonly because: string;
}

/** Takes the resolver's steps. Without a recorder no step's text is ever built. */
export interface Recorder {
  note(step: StepName, outcome: string, because: string): void;
}

export interface WebRequest {
  readonly method: string;
  /** The request target as it came. */
  readonly target: string;
  /** Names in lower case. */
  readonly headers: Readonly<Record<string, string | string[] | undefined>>;
  /** When it came, in milliseconds since the epoch, where a clock is at hand: what Date will say. */
  readonly at?: number;
  /** Whether it came over TLS. */
  readonly secure?: boolean;
}

export type AnswerBody =
  | { readonly kind: 'none' }
  | {
      readonly kind: 'object';
      readonly object: StoredObject;
      readonly range?: ByteRange;
      /** In place of one range several, each with what is sent around it. */
      readonly parts?: readonly (string | ByteRange)[];
    }
  /** A built-in page, where a host would show one of its own. */
  | { readonly kind: 'notice' };

export interface Answer {
  readonly status: number;
  /** Flat: name, value, name, value. Without Date and, for notices, without a length. */
  readonly headers: readonly string[];
  readonly body: AnswerBody;
  readonly reason: Reason;
  /** The key that the address names; an error document answers under another. */
  readonly key?: string;
  /** One sentence; only where the answer is not an object. */
  readonly because?: string;
}

/** Reads one header from a flat list; undefined when it is absent. */
export function headerOf(headers: readonly string[], name: string): string | undefined {
  const wanted = name.toLowerCase();
  for (let at = 0; at < headers.length; at += 2)
    if (headers[at]?.toLowerCase() === wanted) return headers[at + 1];
  return undefined;
}

export function headersToRecord(headers: readonly string[]): Record<string, string> {
  const record: Record<string, string> = {};
  for (let at = 0; at < headers.length; at += 2) record[headers[at] ?? ''] = headers[at + 1] ?? '';
  return record;
}
