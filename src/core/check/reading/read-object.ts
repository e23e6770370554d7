/** Reads an object's text as what it is. */
import { readFeed, readManifest, readMap } from './read-data.js';
import { readPage } from './read-page.js';
import { scanPage } from './scan-page.js';
import { readScript } from './read-script.js';
import { readStyle } from './read-style.js';
import type { Reading, ReadingKind } from './reading.js';

const READERS: Readonly<Record<ReadingKind, (text: string) => Reading>> = {
  page: (text) => scanPage(text) ?? readPage(text),
  style: readStyle,
  script: readScript,
  manifest: readManifest,
  feed: readFeed,
  map: readMap,
  data: () => ({ kind: 'data', references: [] }),
};

/** Whatever the text is, there is a reading of it; one that nests too deeply has a fault. */
export function readObject(kind: ReadingKind, text: string): Reading {
  try {
    return READERS[kind](kind === 'page' ? asHtml(text) : text);
  } catch (error) {
    if (!(error instanceof RangeError)) throw error;
    return { kind, references: [], fault: { because: 'it nests too deeply', line: 1 } };
  }
}

const NEVER_VOID =
  /<(a|audio|canvas|div|iframe|object|p|script|span|style|textarea|title|video)(\s[^<>]*)?\/>/g;

/** XHTML may close any element in its start tag; read as HTML it would swallow what follows. */
const asHtml = (text: string): string =>
  text.startsWith('<?xml') ? text.replace(NEVER_VOID, '<$1$2></$1>') : text;
