/** References in web manifests, and in feeds and sitemaps. */
import { SaxesParser } from 'saxes';
import { lineCounter } from './lines.js';
import { NOWHERE, type Reading, type Reference, type Span, type Use } from './reading.js';

/** A web app manifest: its addresses are relative to itself. */
export function readManifest(text: string): Reading {
  let manifest: unknown;
  try {
    manifest = JSON.parse(text.replace(/^\uFEFF/, ''));
  } catch (error) {
    const at = Number(/position (\d+)/.exec(String(error))?.[1] ?? 0);
    return {
      kind: 'manifest',
      references: [],
      fault: { because: `it is not JSON: ${reasonOf(error)}`, line: lineCounter(text)(at) },
    };
  }
  if (typeof manifest !== 'object' || manifest === null || Array.isArray(manifest))
    return { kind: 'manifest', references: [], fault: { because: 'it is no JSON object', line: 1 } };
  const references: Reference[] = [];
  const add = (use: Use, raw: unknown, declared?: unknown): void => {
    if (typeof raw !== 'string') return;
    const at = text.indexOf(JSON.stringify(raw));
    references.push({
      use,
      raw,
      line: at < 0 ? 1 : lineCounter(text)(at),
      ...(at < 0 ? NOWHERE : { at: at + 1, length: raw.length }),
      ...(typeof declared === 'string' ? { declared } : {}),
    });
  };
  const { start_url, icons, screenshots, shortcuts } = manifest as Record<string, unknown>;
  add('link', start_url);
  const entries = (list: unknown): Record<string, unknown>[] =>
    Array.isArray(list) ? list.filter((each) => typeof each === 'object' && each !== null) : [];
  for (const image of [...entries(icons), ...entries(screenshots)]) add('image', image['src'], image['type']);
  for (const shortcut of entries(shortcuts)) {
    add('link', shortcut['url']);
    for (const icon of entries(shortcut['icons'])) add('image', icon['src'], icon['type']);
  }
  return { kind: 'manifest', references };
}

/** The parser's own words without its counting of characters, which nobody can follow. */
const reasonOf = (error: unknown): string =>
  (error instanceof Error ? error.message : String(error))
    .split(/,? (?:in JSON )?at position \d/, 1)
    .join('')
    .replace(/, "[^]*$/, '')
    .replace(/^./, (letter) => letter.toLowerCase());

/** Elements whose text is an address. */
const ADDRESS_TEXT = new Set([
  'loc',
  'link',
  'url',
  'comments',
  'docs',
  'icon',
  'logo',
  'image:loc',
  'video:content_loc',
]);
const MOST_TEXT = 4096;

/** An Atom or RSS feed, a sitemap, or other XML that may be one. */
export function readFeed(text: string): Reading {
  const references: Reference[] = [];
  let fault: Reading['fault'];
  let open = '';
  let heard = '';
  const parser = new SaxesParser();
  const add = (raw: string | undefined): void => {
    if (raw !== undefined && raw.trim() !== '')
      references.push({ use: 'identity', raw: raw.trim(), line: parser.line, ...spanOf(raw.trim()) });
  };
  // Behind where the parser is nothing was read yet; an address with entities in it stays unknown.
  const spanOf = (raw: string): Span => {
    const end = parser.position;
    const from = Math.max(0, end - 2 * MOST_TEXT);
    const at = text.slice(from, end + 1).lastIndexOf(raw);
    return at < 0 ? NOWHERE : { at: from + at, length: raw.length };
  };
  parser.on('opentag', ({ name, attributes }) => {
    open = name;
    heard = '';
    if (name === 'link' || name === 'atom:link') add(attributes['href']);
    else if (name === 'enclosure' || name === 'media:content') add(attributes['url']);
    else if (name === 'content' || name === 'script') add(attributes['src']);
    else if (name === 'xhtml:link') add(attributes['href']);
  });
  parser.on('text', (piece) => {
    if (ADDRESS_TEXT.has(open) && heard.length < MOST_TEXT) heard += piece;
  });
  parser.on('closetag', ({ name }) => {
    if (name === open && ADDRESS_TEXT.has(name)) add(heard);
    open = '';
    heard = '';
  });
  parser.on('error', (error) => {
    fault ??= { because: error.message.replace(/^\d+:\d+: /, '').replace(/\.$/, ''), line: parser.line };
  });
  try {
    parser.write(text.replace(/^\uFEFF/, '')).close();
  } catch (error) {
    fault ??= { because: error instanceof Error ? error.message : String(error), line: parser.line };
  }
  return { kind: 'feed', references, ...(fault === undefined ? {} : { fault }) };
}
