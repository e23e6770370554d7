/** The cure of an answer that a visitor did not hope for: a command to type or config lines to change. */
import type { Answer } from './answer.js';

export interface Advice {
  /** What to do, in one line; undefined when nothing is wrong. */
  readonly fix?: string;
}

/** @param bucket the bucket's name */
export function decideFix(answer: Answer, bucket: string, error: string | null): string | undefined {
  switch (answer.reason) {
    case 'closed':
      return `fenestra access open --sure ${bucket}`;
    case 'unreadable':
      return `cover ${answer.key ?? 'the key'} under \`readable.keys\` (and keep it out of \`readable.except\`) in fenestra.yaml, then publish`;
    case 'method':
      return 'ask with GET or HEAD; a form needs a server of its own';
    case 'missing':
      return error === null
        ? 'name an error document under `documents.error` in fenestra.yaml, then publish'
        : `publish the error document ${error}`;
    case 'error-document':
      return 'correct the address, or publish an object under this key';
    case 'malformed':
      return 'percent-encode the address as UTF-8: a bare % is written %25';
    case 'too-long':
      return 'shorten the address';
    case 'no-bucket':
      return 'fenestra bucket list';
    case 'precondition':
      return 'ask again without the condition, or with the ETag that is published now';
    case 'unsatisfiable':
      return 'ask for bytes that the object has';
    default:
      return undefined;
  }
}
