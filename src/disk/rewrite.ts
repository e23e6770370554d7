/** Site files with other names in them: read as they are published, rewritten, and compressed again where they are. */
import * as crypto from 'node:crypto';
import { join } from 'node:path';
import type { Encoding } from '../core/assign/properties.js';
import { FenestraError } from '../core/errors/catalogue.js';
import type { Rewrite, SurveyObject } from '../core/site/survey.js';
import { rewriteBytes } from '../core/versioning/rewrite-bytes.js';
import { decodeBytes, encodeBytes } from './encode.js';
import { openPublished, readPublished } from './read-file.js';

/** A text is no larger; bytes. */
export const MAX_TEXT = 32 * 2 ** 20;

/**
 * A file's text as bytes, without any content coding.
 * @param digest of the bytes as they would be published unchanged
 * @throws FenestraError FILE_CHANGING where they are others by now, FILE_UNREADABLE
 */
export function readPlain(path: string, encoding: Encoding | undefined, digest: string): Buffer {
  const bytes = readPublished(path, encoding);
  if (crypto.hash('sha256', bytes, 'hex') !== digest) throw new FenestraError('FILE_CHANGING', { path });
  return encoding === undefined ? bytes : decodeBytes(bytes, encoding, MAX_TEXT);
}

/** @throws FenestraError FILE_CHANGING, FILE_UNREADABLE */
export function readRewritten(
  path: string,
  encoding: Encoding | undefined,
  { digest, charset, edits }: Rewrite,
): Buffer {
  const bytes = rewriteBytes(readPlain(path, encoding, digest), charset, [...edits]);
  return encoding === undefined ? bytes : encodeBytes(bytes, encoding);
}

/** A surveyed object, ready to be published. @param folder absolute path of the site @param surveyedAt milliseconds since the epoch */
export function openObject(
  { path, stamp, decision, rewrite }: SurveyObject,
  folder: string,
  surveyedAt: number,
): ReturnType<typeof openPublished> {
  const file = join(folder, path);
  if (!rewrite) return openPublished(file, stamp, surveyedAt, decision.encoding);
  const read = (): Buffer => readRewritten(file, decision.encoding, rewrite);
  return { path: file, read: () => ({ bytes: read(), verified: false }), pieces: () => [read()] };
}
