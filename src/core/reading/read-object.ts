/** Reads an object's text as what it is. */
import { readFeed, readManifest, readMap } from './read-data.js';
import { readPage } from './page/read-page.js';
import { scanPage } from './page/scan-page.js';
import { readScript } from './read-script.js';
import { readCaptions, readModel, readPlaylist } from './read-lists.js';
import { readStyle } from './read-style.js';
import { readSvg } from './read-svg.js';
import { isXhtml, readXhtml } from './page/read-xhtml.js';
import type { Reading, ReadingKind } from './reading.js';

const readHtml = (text: string): Reading => scanPage(text) ?? readPage(text);

const READERS: Readonly<Record<ReadingKind, (text: string) => Reading>> = {
  page: (text) => (isXhtml(text) ? readXhtml(text, readHtml) : readHtml(text)),
  style: readStyle,
  script: readScript,
  manifest: readManifest,
  feed: readFeed,
  map: readMap,
  svg: readSvg,
  playlist: readPlaylist,
  captions: readCaptions,
  model: readModel,
  data: () => ({ kind: 'data', references: [] }),
};

/** Whatever the text is, there is a reading of it; one that nests too deeply has a fault. */
export function readObject(kind: ReadingKind, text: string): Reading {
  try {
    return READERS[kind](text);
  } catch (error) {
    if (!(error instanceof RangeError)) throw error;
    return { kind, references: [], fault: { because: 'it nests too deeply', line: 1 } };
  }
}
