/** Tables that others live from: what is added to one of them and forgotten beside it is named here. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { SaxesParser } from 'saxes';
import { expect, it } from 'vitest';
import { loadCard } from '../src/config/load-card.js';
import { isOfFront, PARTS, type Part } from '../src/core/cost/rate-card.js';
import { REPORT_KINDS } from '../src/report/check-reports.js';
import { STORE_KINDS } from '../src/stores/kinds.js';
import { CONFIG, fenestra, makeFolder, makeProject } from './helpers/program.js';

/** Where each kind of store is held to the contract. */
const CONTRACTS: Readonly<Record<string, string>> = {
  embedded: 'src/stores/contract/contract.test.ts',
  module: 'docs/stores.md',
  swift: 'test/swift-contract.test.ts',
};

it('every kind of store passes the contract', () => {
  expect(Object.keys(CONTRACTS).sort()).toEqual([...STORE_KINDS.keys()].sort());
  for (const [kind, file] of Object.entries(CONTRACTS))
    expect(readFileSync(file, 'utf8'), kind).toContain('storeContract(');
  // The page's example is the test of its own: it is carried out as it stands there.
  expect(readFileSync('test/library.test.ts', 'utf8')).toContain("codeOf('docs/stores.md')");
});

/** What each kind of report has to be, for whoever reads it, of a site with one dead link. */
const READERS: Readonly<Record<string, (text: string) => boolean>> = {
  '.html': (text) => /^<!doctype html>/i.test(text) && text.includes('/gone/'),
  '.xml': (text) => {
    let failures = 0;
    const parser = new SaxesParser();
    parser.on('opentag', ({ name }) => (failures += name === 'failure' ? 1 : 0));
    parser.write(text).close();
    return failures > 0;
  },
  '.sarif': (text) => {
    const { version, runs } = JSON.parse(text) as { version: string; runs: { results: unknown[] }[] };
    return version === '2.1.0' && (runs[0]?.results.length ?? 0) > 0;
  },
  '.csv': (text) => text.split('\n').some((line) => line.includes('/gone/') && line.split(',').length > 4),
  '.json': (text) => (JSON.parse(text) as { findings: { rule: string }[] }).findings.length > 0,
};

it('every kind of report is written and can be read', async () => {
  expect(Object.keys(READERS).sort()).toEqual(REPORT_KINDS.map(({ extension }) => extension).sort());
  const home = makeProject({
    'site/a.html':
      '<!doctype html><html lang="en"><meta charset="utf-8"><title>A</title><a href="/gone/">gone</a></html>',
  });
  await fenestra(home, 'publish', '--yes');
  for (const [extension, isRead] of Object.entries(READERS)) {
    expect((await fenestra(home, 'check', '--report', `report${extension}`)).code).toBe(1);
    expect([extension, isRead(readFileSync(join(home, `report${extension}`), 'utf8'))]).toEqual([
      extension,
      true,
    ]);
  }
});

/** How each part is written on a card; the compiler names a part without. */
const WRITTEN: Readonly<Record<Part, string>> = {
  storage: 'storage: { price: 0.02 }',
  read: 'requests: { read: { price: 0.0001 } }',
  confirmed: 'requests: { confirmed: { price: 0.0001 } }',
  missing: 'requests: { missing: { price: 0.0001 } }',
  write: 'requests: { write: { price: 0.0001 } }',
  list: 'requests: { list: { price: 0.0001 } }',
  transfer: 'transfer: { price: 0.09 }',
  frontStorage: 'front: { storage: { price: 0.02 } }',
  frontRequests: 'front: { requests: { price: 0.0001 } }',
  frontTransfer: 'front: { transfer: { price: 0.09 } }',
};

it('every part of a rate card is read, counted and in the docs', async () => {
  const docs = readFileSync('docs/cost.md', 'utf8');
  for (const part of PARTS) {
    const card = join(
      makeFolder({ 'card.yaml': `card: Quay\ncurrency: EUR\n${WRITTEN[part]}\n` }),
      'card.yaml',
    );
    expect(Object.keys((await loadCard(card)).rates)).toEqual([part]);
    const front = 'bucket: test-mill, front: { https: true, shared: true }';
    const home = makeProject(
      undefined,
      isOfFront(part) ? CONFIG.replace('bucket: test-mill', front) : CONFIG,
    );
    await fenestra(home, 'publish', '--yes');
    const { out } = await fenestra(home, 'cost', '--card', card, '--visitors', '1000', '--json');
    const { months } = JSON.parse(out) as { months: { parts: { part: string }[] }[] };
    expect(months[0]?.parts.map((each) => each.part)).toEqual([part]);
    const [, name = part] = /^front(.+)$/.exec(part) ?? [];
    expect(docs, part).toMatch(new RegExp(`${name === part ? '' : 'front:[^]*'}\\b${name.toLowerCase()}\\b`));
  }
});
