/** Looks for names in every file of a site, whatever it is, as it is published. */
import { isUtf8 } from 'node:buffer';
import * as crypto from 'node:crypto';
import { closeSync, openSync, readSync } from 'node:fs';
import { join } from 'node:path';
import { NameOccurrences } from '../../core/versioning/occurrences.js';
import type { NameFound } from '../../core/versioning/naming.js';
import type { TextEdit } from '../../core/versioning/rename-reference.js';
import { rewriteBytes } from '../../core/versioning/rewrite-bytes.js';
import type { SurveyObject } from '../../core/site/survey.js';
import type { Readings } from '../../core/reading/readings.js';
import { MAX_TEXT, readPlain } from '../../disk/rewrite.js';
import { charsetOf } from './published-objects.js';

/** So much is read at once of what is too large for a text, and so much of it again, in which a name may begin. */
const [PIECE, OVERLAP] = [2 ** 22, 1024];

/**
 * @param readings what was found before; it is added to
 * @throws FenestraError FILE_CHANGING, FILE_UNREADABLE
 */
export function* searchNames(
  objects: readonly SurveyObject[],
  folder: string,
  readings: Readings,
  names: readonly string[],
  editsOf: (object: number) => readonly TextEdit[],
): Generator<NameFound> {
  const searched = crypto.hash('sha256', JSON.stringify([...names].sort()), 'hex');
  const numbers = new Map(names.map((name, number) => [name, number]));
  const occurrences = new NameOccurrences(names);
  for (const [number, object] of objects.entries()) {
    const edits = editsOf(number);
    const changed = edits.length === 0 ? '' : crypto.hash('sha256', JSON.stringify(edits), 'hex');
    const id = `occurs ${searched} ${object.digest} ${charsetOf(object)} ${changed}`;
    let row = readings.find(id);
    if (row === undefined) {
      const found = new Map<number, number>();
      searchObject(occurrences, object, folder, edits, (name, line) => {
        if (!found.has(name)) found.set(name, line);
      });
      const references = [...found].map(([name, line]) => {
        const raw = names[name] ?? '';
        return { use: 'data', raw, line, at: -1, length: raw.length } as const;
      });
      row = readings.add(id, { kind: 'data', references });
    }
    const [from, to] = readings.range(row);
    for (let at = from; at < to; at++) {
      const name = numbers.get(readings.string(readings.rawNumber(at)));
      if (name !== undefined) yield { name, object: number, line: readings.line(at) };
    }
  }
}

function searchObject(
  occurrences: NameOccurrences,
  object: SurveyObject,
  folder: string,
  edits: readonly TextEdit[],
  found: (name: number, line: number) => void,
): void {
  const { path, size, decision, digest } = object;
  const file = join(folder, path);
  if (size > MAX_TEXT && decision.encoding === undefined) return searchPieces(occurrences, file, found);
  const charset = charsetOf(object);
  const bytes = rewriteBytes(readPlain(file, decision.encoding, digest), charset, edits);
  occurrences.findPlain(bytes, found);
  const text = decodeAny(bytes, charset);
  if (text === undefined) return;
  if (text.isOther) occurrences.findPlain(Buffer.from(text.text), found);
  if (/[&\\%]/.test(text.text)) occurrences.findInText(text.text, found);
}

interface Decoded {
  readonly text: string;
  /** Whether its bytes are no UTF-8, so that they say something else than it. */
  readonly isOther: boolean;
}

/** A text in whatever charset it may be; undefined for what is none. */
function decodeAny(bytes: Buffer, charset: string): Decoded | undefined {
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return { text: bytes.toString('utf16le'), isOther: true };
  if (bytes[0] === 0xfe && bytes[1] === 0xff)
    return { text: new TextDecoder('utf-16be').decode(bytes), isOther: true };
  if (bytes.includes(0)) return undefined;
  if (isUtf8(bytes)) return { text: bytes.toString('utf8'), isOther: false };
  const name = /^utf-?8$/i.test(charset) ? 'windows-1252' : charset;
  try {
    return { text: new TextDecoder(name).decode(bytes), isOther: true };
  } catch {
    return { text: bytes.toString('latin1'), isOther: true };
  }
}

function searchPieces(
  occurrences: NameOccurrences,
  path: string,
  found: (name: number, line: number) => void,
): void {
  const file = openSync(path, 'r');
  const piece = Buffer.alloc(PIECE + OVERLAP);
  try {
    for (let at = 0, kept = 0; ;) {
      const read = readSync(file, piece, kept, PIECE, at);
      if (read === 0) return;
      at += read;
      const end = kept + read;
      occurrences.findPlain(piece.subarray(0, end), (name) => found(name, 1));
      kept = Math.min(OVERLAP, end);
      piece.copyWithin(0, end - kept, end);
    }
  } finally {
    closeSync(file);
  }
}
