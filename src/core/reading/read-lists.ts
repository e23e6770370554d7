/** References in playlists (RFC 8216) and in models of glTF. */
import { listJsonStrings } from './json-strings.js';
import { lineCounter } from './lines.js';
import type { Reading, Reference } from './reading.js';

/** An address a line, and `URI="…"` in lines that begin with a hash. */
export function readPlaylist(text: string): Reading {
  const references: Reference[] = [];
  let line = 0;
  for (const { 0: written, index } of text.matchAll(/[^\r\n]*(?:\r\n|\r|\n|$)/g)) {
    line++;
    const content = written.trim();
    if (content === '') continue;
    if (!content.startsWith('#')) {
      const at = index + written.indexOf(content);
      references.push({ use: 'media', raw: content, line, at, length: content.length });
      continue;
    }
    for (const found of written.matchAll(/\bURI="([^"]*)"/g)) {
      const raw = found[1] ?? '';
      references.push({ use: 'media', raw, line, at: index + found.index + 5, length: raw.length });
    }
  }
  return { kind: 'playlist', references };
}

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
