/** Every row of the table is met in a page: what the inspection refers to by it, and what a visit asks for. */
import { describe, expect, it, test } from 'vitest';
import { listDocumentLoads } from '../../visiting/document-loads.js';
import { DEFAULT_SCREEN } from '../../visiting/screen.js';
import type { Reading } from '../reading.js';
import { TAGS, type Asks, type Leads } from './elements.js';
import { PRELOADED, RELS, type LinkAsks } from './links-and-scripts.js';
import { readTree } from './page-tree.js';
import { readPage } from './read-page.js';
import { scanPage } from './scan-page.js';

const TARGET = '/mill/target.bin';
const readBoth = (html: string): Reading => {
  const reading = readPage(html);
  const scan = scanPage(html);
  if (scan) expect(scan).toEqual(reading);
  return reading;
};
const asked = (html: string): string[] => {
  const { items, icons } = listDocumentLoads(readTree(html), DEFAULT_SCREEN, true);
  return [
    ...items.flatMap((item) => ('url' in item && item.url === TARGET ? [item.use] : [])),
    ...icons.flatMap(({ url }) => (url === TARGET ? ['icon'] : [])),
  ];
};

/** What an element has to have beside the attribute, and what it has to stand in. */
const WITH: Readonly<Record<string, string>> = {
  'input src': 'type=image',
  'track src': 'default',
  'link href': 'rel=author',
  'meta content': 'http-equiv=refresh',
};
const AROUND: Readonly<Record<string, readonly [before: string, behind: string]>> = {
  source: ['<picture>', '<img alt=""></picture>'],
  track: ['<video>', '</video>'],
  frame: ['<frameset>', '</frameset>'],
  image: ['<svg>', '</svg>'],
  feimage: ['<svg><filter>', '</filter></svg>'],
  use: ['<svg>', '</svg>'],
  td: ['<table><tr>', '</tr></table>'],
  th: ['<table><tr>', '</tr></table>'],
};
/** Whether a browser asks for what an element in such a page leads to. */
const ASKS: Readonly<Record<Asks, boolean>> = {
  never: false,
  met: true,
  near: true,
  outside: true,
  picture: true,
  film: true,
  part: true,
  captions: true,
  link: false,
  script: true,
};

const ROWS = [...TAGS.values()].flatMap(({ name, leads }) =>
  leads.map((each): [string, Leads] => [`${name} ${each.attribute}`, each]),
);

test.each(ROWS)('%s', (what, { attribute, use, asks, within }) => {
  const [name = ''] = what.split(' ');
  const value = what === 'meta content' ? `5; url=${TARGET}` : TARGET;
  const tag = `<${name} ${WITH[what] ?? ''} ${attribute}="${value}">`;
  const [before, behind] = AROUND[name] ?? ['', ''];
  const head = name === 'body' || name === 'frame' ? '' : '<p>x';
  const html = `<!doctype html><title>x</title>${head}${before}${tag}${behind}`;
  const own = within?.[0] === 'picture' ? within[1] : use;
  expect(readBoth(html).references.map((each) => [each.use, each.raw])).toContainEqual([own, TARGET]);
  // Only the candidates in a picture are asked for, never a plain address of a source in it.
  const expected = ASKS[asks] && what !== 'source src';
  expect(asked(html).length > 0).toBe(expected);
});

it('a source in a film is the film', () => {
  const html = `<!doctype html><title>x</title><video><source src="${TARGET}"></video>`;
  expect(readBoth(html).references.map(({ use }) => use)).toEqual(['media']);
  expect(asked(html)).toEqual(['media']);
});

/** What a visit asks for by each way in which a link is for something. */
const LINKED: Readonly<Record<LinkAsks, readonly string[]>> = {
  never: [],
  style: ['style'],
  icon: ['icon'],
  manifest: ['manifest'],
  module: ['module'],
  preload: ['data'],
  prefetch: ['prefetch'],
};
describe('a link that is for', () => {
  test.each(RELS.flatMap((rel) => rel.names.map((name) => [name, rel] as const)))(
    '%s',
    (name, { use, asks }) => {
      const html = `<!doctype html><title>x</title><link rel="${name}" as="fetch" href="${TARGET}">`;
      expect(readBoth(html).references.map((each) => each.use)).toEqual(use === undefined ? [] : [use]);
      expect(asked(html)).toEqual(LINKED[asks]);
    },
  );
  test.each([...PRELOADED])('preload as %s', (as, use) => {
    const html = `<!doctype html><title>x</title><link rel=preload as="${as}" href="${TARGET}">`;
    expect(readBoth(html).references.map((each) => each.use)).toEqual([use]);
    // Whole documents are not preloaded.
    expect(asked(html)).toEqual(use === 'frame' ? [] : [use]);
  });
  it('a style and a connection at once is a style', () => {
    const html = `<!doctype html><title>x</title><link rel="preconnect stylesheet" href="${TARGET}">`;
    expect(readBoth(html).references.map((each) => each.use)).toEqual(['style']);
  });
});
