/** References in playlists (RFC 8216), captions that name pictures, and models of glTF. */
import { listJsonStrings } from './json-strings.js';
import { lineCounter } from './lines.js';
import type { Reading, Reference } from './reading.js';

/** The lines of a text with where each begins. */
function* listLines(
  text: string,
): Generator<{ readonly line: number; readonly at: number; readonly written: string }> {
  let [line, at] = [0, 0];
  for (const written of text.split('\n')) {
    yield { line: ++line, at, written };
    at += written.length + 1;
  }
}

/** An address a line, and `URI="…"` in lines that begin with a hash. */
export function readPlaylist(text: string): Reading {
  const references: Reference[] = [];
  for (const { line, at, written } of listLines(text)) {
    const raw = written.trim();
    if (raw === '') continue;
    const add = (address: string, from: number): void =>
      void references.push({ use: 'media', raw: address, line, at: at + from, length: address.length });
    if (!raw.startsWith('#')) add(raw, written.indexOf(raw));
    else
      for (const { 1: address = '', index } of written.matchAll(/\bURI="([^"]*)"/g)) add(address, index + 5);
  }
  return { kind: 'playlist', references };
}

/** WebVTT that names parts of pictures: `sheet.png#xywh=0,0,160,90`. Any other line is a text that is shown. */
export function readCaptions(text: string): Reading {
  const references: Reference[] = [];
  for (const { line, at, written } of listLines(text)) {
    const raw = written.trimEnd();
    if (PART_OF_PICTURE.test(raw)) references.push({ use: 'image', raw, line, at, length: raw.length });
  }
  return { kind: 'captions', references };
}

const PART_OF_PICTURE = /^[^\s#]+#xywh=[\d,.%a-z:]+$/;
const NAMED = new Set(['images', 'buffers']);

/** `images[].uri` and `buffers[].uri`. */
export function readModel(text: string): Reading {
  try {
    JSON.parse(text.replace(/^\uFEFF/, ''));
  } catch (error) {
    return { kind: 'model', references: [], fault: { because: `it is not JSON: ${String(error)}`, line: 1 } };
  }
  const lineOf = lineCounter(text);
  const references: Reference[] = [];
  for (const { path, isName, value: raw, ...span } of listJsonStrings(text)) {
    const isUri = path.length === 3 && NAMED.has(String(path[0])) && path[2] === 'uri';
    if (isUri && !isName && !/^data:/i.test(raw))
      references.push({ use: path[0] === 'images' ? 'image' : 'data', raw, line: lineOf(span.at), ...span });
  }
  return { kind: 'model', references };
}
