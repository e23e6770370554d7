/** The built `fenestra cost`: cards, visits through the model, and access logs. */
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { beforeAll, describe, expect, it } from 'vitest';
import { chance as chanceFor } from './helpers/chance.js';
import { fenestra, fenestraJson, makeProject, PAGE, writeFiles } from './helpers/program.js';

const CONFIG = `site: site
destinations:
  here: { store: here, bucket: test-mill }
assign:
  - { to: "*.svg", cache: 30 days }
`;
const CARD = `card: Quay
currency: EUR
storage: { per: 1 MB, price: 1 }
requests:
  read: { per: 1000, price: "0.1", free: { amount: 1000, months: 3 } }
  write: { per: 1, price: 0.5 }
transfer: { per: 1 MB, price: 2 }
`;

interface CostJson {
  readonly card: string;
  readonly currency: string;
  readonly months: readonly {
    readonly month: number;
    readonly parts: readonly { readonly part: string; readonly amount: string; readonly units: string }[];
    readonly sum: string;
  }[];
  readonly year: string;
  readonly withoutHeaders?: { readonly sum: string };
  readonly rules: readonly { readonly line: string; readonly saves: string }[];
  readonly top: readonly { readonly what: string; readonly requests: number; readonly amount: string }[];
  readonly others?: readonly { readonly card: string; readonly months: CostJson['months'] }[];
  readonly traffic: {
    readonly first?: { readonly requests: number; readonly bytes: number };
    readonly again?: { readonly requests: number; readonly bytes: number };
    readonly missing?: number;
    readonly days?: number;
    readonly unread?: number;
  };
}

describe('what a site costs', () => {
  let home: string;
  beforeAll(async () => {
    const page = PAGE.replace('<title>', '<link rel="icon" href="data:,"><title>');
    home = makeProject(
      {
        'site/index.html': page.replace('</html>', '<img src="/mill.svg" alt=""></html>'),
        'site/mill.svg': `<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><!-- ${'x'.repeat(5000)} --></svg>`,
      },
      CONFIG,
    );
    writeFiles(home, {
      'quay.yaml': CARD,
      'lock.yaml': 'card: Lock\ncurrency: EUR\ntransfer: { per: 1 GB, price: 0 }\nminimum: 1.5\n',
    });
    await fenestra(home, 'publish', '--yes');
  });
  const cost = (...words: string[]): Promise<CostJson> => fenestraJson<CostJson>(home, 'cost', ...words);
  const partOf = (
    { months }: CostJson,
    part: string,
    month = 0,
  ): { amount: string; units: string } | undefined => months[month]?.parts.find((each) => each.part === part);

  it('follows from the requests of visits, to the last cent', async () => {
    const found = await cost(
      '--card',
      'quay.yaml',
      '--visitors',
      '2000',
      '--returning',
      '25%',
      '--pages',
      '1',
    );
    const { first = { requests: 0, bytes: 0 }, again = { requests: 0, bytes: 0 } } = found.traffic;
    // The page each time, the picture once a month.
    expect([first.requests, again.requests]).toEqual([2, 1]);
    expect(partOf(found, 'read')?.units).toBe(String(1500 * 2 + 500));
    // 2500 reads that are not free, then all 3500.
    expect([partOf(found, 'read')?.amount, partOf(found, 'read', 1)?.amount]).toEqual(['0.25', '0.35']);
    expect(found.months.map(({ month }) => month)).toEqual([1, 4]);
    const bytes = 1500 * first.bytes + 500 * again.bytes;
    expect(partOf(found, 'transfer')).toEqual({
      part: 'transfer',
      amount: ((bytes * 2) / 1e6).toFixed(2),
      units: String(bytes),
    });
    // Three objects were written.
    expect(partOf(found, 'write')).toMatchObject({ amount: '1.50', units: '3' });
    const cents = (text: string): number => Math.round(Number(text) * 100);
    for (const { parts, sum } of found.months)
      expect(parts.reduce((all, { amount }) => all + cents(amount), 0)).toBe(cents(sum));
    // What its line saves is what the picture would cost each time.
    expect(found.rules).toEqual([
      { line: 'line 5: *.svg', saves: expect.stringMatching(/^\d+\.\d\d$/) as string },
    ]);
    expect(found.top[0]?.what).toBe('/mill.svg');
    expect(
      (await cost('--card', 'quay.yaml', '--visitors', '0', '--pages', '1')).months[0]?.parts.find(
        ({ part }) => part === 'transfer',
      )?.amount,
    ).toBe('0.00');
  });

  it('never falls as visitors rise, nor rises with longer freshness', async () => {
    const sums: number[] = [];
    for (const visitors of [1, 10, 1000, 100_000])
      sums.push(
        Number(
          (await cost('--card', 'quay.yaml', '--visitors', String(visitors), '--pages', '1')).months[0]?.sum,
        ),
      );
    expect(sums).toEqual([...sums].sort((a, b) => a - b));
    const requests: number[] = [];
    for (const cache of ['revalidate', '1 day', '10 days', '30 days']) {
      writeFileSync(join(home, 'fenestra.yaml'), CONFIG.replace('30 days', cache));
      await fenestra(home, 'publish', '--yes');
      requests.push((await cost('--card', 'quay.yaml', '--pages', '1')).traffic.again?.requests ?? 0);
    }
    expect(requests).toEqual([...requests].sort((a, b) => b - a));
    expect(requests.at(-1)).toBeLessThan(requests[0] ?? 0);
  });

  it('is set side by side by several cards, and told as text', async () => {
    const found = await cost('--card', 'quay.yaml', '--card', 'lock.yaml', '--pages', '1');
    expect([found.card, found.others?.map(({ card, months }) => [card, months[0]?.sum])]).toEqual([
      'Quay',
      [['Lock', '1.50']],
    ]);
    const { out } = await fenestra(home, 'cost', '--card', 'quay.yaml', '--card', 'lock.yaml');
    expect(out).toMatch(
      /What here costs in a month, by 20,000 visits[^]*Quay +Lock\n[^]*to the minimum +- +- +1\.50[^]*\*\.svg saves[^]*It rests on/,
    );
  });

  it('is held to a budget, and says what grows', async () => {
    const words = ['--card', 'quay.yaml', '--pages', '1', '--visitors', '20000'];
    const budget = async (...more: string[]): Promise<[number, string]> => {
      const { code, out, err } = await fenestra(home, 'cost', ...words, ...more);
      return [code, out + err];
    };
    expect(await budget('--at-most', '100000 EUR')).toEqual([0, expect.not.stringContaining('more than')]);
    expect(await budget('--at-most', '1 EUR')).toEqual([
      1,
      expect.stringMatching(/Quay: month 1 comes to [\d.]+ EUR, more than 1 EUR\./),
    ]);
    for (const [text, said] of [
      ['5 GBP', /in GBP, and Quay is in EUR/],
      ['much', /is no amount/],
    ] as const)
      expect(await budget('--at-most', text)).toEqual([2, expect.stringMatching(said)]);
    expect(await budget('--span', '7 days')).toEqual([2, expect.stringContaining('there is none')]);
    const [code, grown] = await budget('--growing', '50%', '--at-most', '1000 EUR');
    expect([code, grown]).toEqual([
      1,
      expect.stringMatching(/Growing by 50 % a month[^]*together[^]*month [2-9]/),
    ]);
  });

  it('counts what reaches the bucket where a front stands before it, and the front by its own prices', async () => {
    const config = readFileSync(join(home, 'fenestra.yaml'), 'utf8');
    writeFileSync(
      join(home, 'front.yaml'),
      config.replace('bucket: test-mill', 'bucket: test-mill, front: { https: true, shared: true }'),
    );
    writeFileSync(
      join(home, 'front-card.yaml'),
      'card: Front\ncurrency: EUR\nfront: { requests: { price: 0.001 }, fixed: 0.5 }\n',
    );
    const words = ['--card', 'quay.yaml', '--pages', '1', '--visitors', '20000'];
    const bare = await cost(...words);
    const behind = await cost(...words, '--config', 'front.yaml', '--card', 'front-card.yaml');
    const reads = (found: CostJson): number => Number(partOf(found, 'read')?.units);
    expect(reads(behind)).toBeLessThan(reads(bare));
    // Every page is asked for each time; the picture is passed on once a day at the most.
    expect(behind.others?.[0]?.months[0]?.parts).toEqual([
      { part: 'frontRequests', amount: (reads(bare) / 1000).toFixed(2), units: String(reads(bare)) },
      { part: 'frontFixed', amount: '0.50', units: '0' },
    ]);
    const { out } = await fenestra(home, 'cost', ...words, '--config', 'front.yaml');
    expect(out).toMatch(/Quay\s+has\s+no\s+`front`/);
  });

  it('is drawn over ten times fewer and a hundred times more visitors', async () => {
    await cost('--card', 'quay.yaml', '--card', 'lock.yaml', '--report', 'cost.html');
    const page = readFileSync(join(home, 'cost.html'), 'utf8');
    expect(page).toMatch(
      /<h1[^>]*>[\d.]+ EUR a month by Quay[^]*<svg[^]*2,000[^]*2,000,000[^]*What caching is worth[^]*What it rests on/,
    );
    expect((await fenestra(home, 'cost', '--card', 'quay.yaml', '--report', 'cost.pdf')).code).toBe(2);
  });

  it('comes from a log, in whatever form, packed too, with what is not there', async () => {
    const common = (at: string, path: string, status: number, bytes: number | string, more = ''): string =>
      `192.0.2.7 - - [${at}] "GET ${path} HTTP/1.1" ${status} ${bytes}${more}`;
    const lines = [
      common('01/Nov/2026:00:00:00 +0000', '/', 200, 1000),
      common('02/Nov/2026:00:00:00 +0000', '/mill.svg?x=1', 200, 5000, ' "http://a.example/" "A \\"B\\" C"'),
      common('03/Nov/2026:00:00:00 +0000', '/no/such', 404, 300),
      'nothing of the kind',
      '192.0.2.7 - - [03/Nov/2026:01:00:00 +0000] "POST / HTTP/1.1" 405 -',
      common('06/Nov/2026:00:00:00 +0000', '/', 304, '-'),
    ];
    const json = [
      { at: '2026-11-01T00:00:00.000Z', method: 'GET', target: '/', status: 200, bytes: 1000 },
      { at: '2026-11-02T00:00:00.000Z', method: 'GET', target: '/mill.svg?x=1', status: 200, bytes: 5000 },
      { at: '2026-11-03T00:00:00.000Z', method: 'GET', target: '/no/such', status: 404, bytes: 300 },
      { at: '2026-11-03T01:00:00.000Z', method: 'POST', target: '/', status: 405, bytes: 0 },
      { at: '2026-11-06T00:00:00.000Z', method: 'GET', target: '/', status: 304, bytes: 0 },
    ];
    writeFileSync(join(home, 'common.log'), `${lines.join('\n')}\n`);
    writeFileSync(join(home, 'common.log.gz'), gzipSync(lines.join('\r\n')));
    writeFileSync(join(home, 'own.log'), `{"oops\n${json.map((line) => JSON.stringify(line)).join('\n')}`);
    const found = await Promise.all(
      ['common.log', 'common.log.gz', 'own.log'].map((log) => cost('--card', 'quay.yaml', '--log', log)),
    );
    for (const each of found) {
      expect(each.traffic).toMatchObject({ missing: 1, confirmed: 1, unread: 1, days: 5 });
      // Four in five days: 2 628 000 s in a month, 432 000 in five days.
      expect(partOf(each, 'read')?.units).toBe('25');
      expect(each.top.map(({ what }) => what)).toContain('/mill.svg');
    }
    writeFileSync(join(home, 'empty.log'), '');
    const one = lines.slice(0, 1).join('');
    writeFileSync(join(home, 'moment.log'), `${one}\n${one}\n`);
    for (const [log, said] of [
      ['fenestra.yaml', /none of its \d+ lines is a request/],
      ['empty.log', /it is empty/],
      ['moment.log', /its 2 requests are of one moment/],
    ] as const) {
      const { code, err } = await fenestra(home, 'cost', '--card', 'quay.yaml', '--log', log);
      expect([log, code, err]).toEqual([log, 2, expect.stringMatching(said)]);
    }
    const missing = await fenestra(home, 'cost', '--card', 'quay.yaml', '--log', 'none.log');
    expect([missing.code, missing.err]).toEqual([
      2,
      expect.stringContaining('The access log none.log cannot be read'),
    ]);
    const packed = readFileSync(join(home, 'common.log.gz'));
    writeFileSync(join(home, 'cut.log.gz'), packed.subarray(0, packed.length - 12));
    const cut = await fenestra(home, 'cost', '--card', 'quay.yaml', '--log', 'cut.log.gz');
    expect([cut.code, cut.err]).toEqual([2, expect.stringContaining('its packed data end too early')]);
    const chance = chanceFor('log');
    const odd = Buffer.from(Array.from({ length: 200_000 }, () => Math.floor(chance() * 256)));
    writeFileSync(join(home, 'odd.log'), Buffer.concat([odd, Buffer.from(`\n${lines.join('\n')}`)]));
    expect((await cost('--card', 'quay.yaml', '--log', 'odd.log')).traffic.unread).toBeGreaterThan(0);
  });

  it.each([
    ['card: Quay\n', ['currency is missing']],
    [CARD.replace('EUR', 'euro'), ['three capital letters']],
    [CARD.replace('price: 1 }', 'price: one }'), ['quay.yaml:3:', '"one" is not a price']],
    [CARD.replace('per: 1 MB, price: 1', 'per: 1 cow, price: 1'), ['"1 cow" is not a size']],
    [CARD.replace('price: 2', 'prize: 2'), ['did you mean price']],
    [
      'card: Q\ncurrency: EUR\ntransfer: { tiers: [{ price: 1 }, { price: 2 }] }\n',
      ['takes the rest, and another tier stands behind it'],
    ],
    [
      'card: Q\ncurrency: EUR\ntransfer: { tiers: [{ amount: 1 GB, price: 1 }] }\n',
      ['ends: the last tier has no `amount`'],
    ],
    ['card: Q\ncurrency: EUR\ntransfer: { per: 1 GB }\n', ['has neither `price` nor `tiers`']],
    ['card: Q\ncurrency: EUR\nminimum: -1\ndecimals: 9\n', ['is not a price', 'is from 0 to 6']],
    ['- Q\n', ['the card is a list']],
  ])('a card is refused with all its faults: %j', async (text, faults) => {
    writeFileSync(join(home, 'faulty-quay.yaml'), text);
    const refused = await fenestra(home, 'cost', '--card', 'faulty-quay.yaml');
    for (const fault of faults)
      expect([refused.code, refused.err]).toEqual([2, expect.stringContaining(fault)]);
  });

  it('asks for a card, and refuses what is no number, part or duration', async () => {
    for (const [words, said] of [
      [[], 'There is no rate card'],
      [['--card', 'none.yaml'], 'there is no such file'],
      [['--card', 'quay.yaml', '--visitors', '-1'], 'is not a number of them'],
      [['--card', 'quay.yaml', '--returning', '140%'], 'is no part of the visits'],
      [['--card', 'quay.yaml', '--after', 'soon'], 'is no duration'],
    ] as const) {
      const refused = await fenestra(home, 'cost', ...words);
      expect([words, refused.code, refused.err]).toEqual([words, 2, expect.stringContaining(said)]);
    }
    const { out } = await fenestra(home, 'cost', '--schema');
    expect(JSON.parse(out)).toMatchObject({
      required: ['card', 'currency'],
      properties: { storage: { type: 'object' } },
    });
  });
});
