/** The built `fenestra check` and `publish --prove` against endpoints that behave and endpoints that do not. */
import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, request, type IncomingMessage, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { setTimeout } from 'node:timers/promises';
import ajvDraft04 from 'ajv-draft-04';
import ajvFormats from 'ajv-formats';
import { chromium } from 'playwright-core';
import { SaxesParser } from 'saxes';
import { afterAll, beforeAll, describe, expect, it, test } from 'vitest';
import { CONFIG, fenestra, makeProject, PAGE, serve, writeFiles, type Serving } from './helpers/program.js';
import { need } from './helpers/machine.js';

interface Checked {
  readonly at: string;
  readonly passed: boolean;
  readonly matrix: readonly unknown[];
  readonly probes: { readonly run: number; readonly failed: number; readonly retries: number };
  readonly sample: { readonly objects: number; readonly kinds: number; readonly of: number };
  readonly failures: {
    url: string;
    about: string;
    aspect: string;
    expected: string;
    observed: string;
    fix: string;
  }[];
  readonly findings: {
    rule: string;
    level: string;
    key?: string;
    line?: number;
    message: string;
    fix: string;
  }[];
  readonly beside?: { selfTest: boolean; failures: unknown[] };
  readonly baseline?: { known: number; gone: number };
}

const FILES = {
  'site/visit/index.html': `${PAGE}<link rel="stylesheet" href="/mill.css"><a href="/">home</a>`,
  'site/mill.css': 'body { color: teal }\n',
  'site/film.mp4': Buffer.concat([Buffer.from('\0\0\0\x18ftypmp42\0\0\0\0mp42isom'), Buffer.alloc(5000, 7)]),
  'site/drafts/plan.txt': 'not yet\n',
};
const SETTINGS = `${CONFIG}readable: { keys: ["**"], except: ["drafts/**"] }\nmoved: { permanently: { /old: /visit/ } }\n`;

const check = async (home: string, ...words: string[]): Promise<{ code: number; checked: Checked }> => {
  const { code, out, err } = await fenestra(home, 'check', '--json', ...words);
  expect(err).toBe('');
  return { code, checked: JSON.parse(out) as Checked };
};

let home: string;
let host: Serving;
beforeAll(async () => {
  home = makeProject(FILES, SETTINGS);
  await fenestra(home, 'publish', '--yes');
  await fenestra(home, 'access', 'open', '--sure', 'test-mill');
  host = await serve(home);
});
afterAll(() => host.stop());

/** An endpoint that passes everything on to the emulation and spoils the answers. */
async function spoil(
  change: (
    incoming: IncomingMessage,
    answer: { status: number; headers: Record<string, string | string[] | undefined>; body: Buffer },
  ) => void | Promise<void>,
): Promise<{ url: string; asked: () => number; close: () => void }> {
  let asked = 0;
  const server = createServer((incoming: IncomingMessage, outgoing: ServerResponse) => {
    asked++;
    const { method, url, headers } = incoming;
    request(
      {
        port: host.port,
        method,
        path: url,
        headers: { ...headers, host: `test-mill.localhost:${host.port}` },
      },
      (inner) => {
        const chunks: Buffer[] = [];
        inner.on('data', (chunk: Buffer) => chunks.push(chunk));
        const finish = async (): Promise<void> => {
          const answer = {
            status: inner.statusCode ?? 0,
            headers: { ...inner.headers },
            body: Buffer.concat(chunks),
          };
          await change(incoming, answer);
          if (answer.status === 0) return void incoming.socket.destroy();
          delete answer.headers['connection'];
          outgoing.writeHead(answer.status, answer.headers as Record<string, string>);
          outgoing.end(answer.body);
        };
        inner.on('end', () => void finish());
      },
    ).end();
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  return {
    url: `http://127.0.0.1:${(server.address() as AddressInfo).port}/`,
    asked: () => asked,
    close: () => void (server.close(), server.closeAllConnections()),
  };
}

describe('an endpoint that answers wrongly', () => {
  it('is found right when it passes all on as it is', async () => {
    const through = await spoil(() => undefined);
    const { code, checked } = await check(home, '--at', through.url, '--both');
    through.close();
    expect([code, checked.failures, checked.findings]).toEqual([0, [], []]);
    expect(checked.beside).toMatchObject({ selfTest: true, failures: [] });
  });

  test.each<[string, Parameters<typeof spoil>[0], [about: string, aspect: string][], RegExp]>([
    [
      'a type of its own',
      ({ url }, { headers }) => void (url === '/mill.css' && (headers['content-type'] = 'text/plain')),
      [['object', 'type']],
      /sends its own type/,
    ],
    [
      'caching of its own',
      (_incoming, { headers }) => void (headers['cache-control'] &&= 'max-age=99'),
      [
        ['object', 'caching'],
        ['folder', 'caching'],
        ['wrong address', 'caching'],
      ],
      /caching of its own/,
    ],
    [
      'other bytes',
      ({ url, method }, answer) => {
        if (url !== '/film.mp4' || method !== 'GET' || answer.status !== 200) return;
        answer.body = Buffer.alloc(answer.body.length, 9);
      },
      [['object', 'bytes']],
      /old copy/,
    ],
    [
      'no ranges',
      ({ url, headers }, answer) => {
        if (url === '/film.mp4' && headers.range !== undefined) answer.status = 200;
      },
      [['a range', 'range']],
      /media cannot seek/,
    ],
    [
      'the wrong part',
      ({ headers }, answer) => {
        if (headers.range !== undefined) answer.body = Buffer.from(answer.body).reverse().fill(1, 0, 3);
      },
      [['a range', 'range']],
      /wrong part/,
    ],
    [
      'no validators honoured',
      (_incoming, answer) => void (answer.status === 304 && (answer.status = 200)),
      [
        ['unchanged by ETag', 'validators'],
        ['unchanged by date', 'validators'],
      ],
      /does not honour it/,
    ],
    [
      'HEAD refused',
      ({ method }, answer) => void (method === 'HEAD' && (answer.status = 405)),
      [['HEAD', 'status']],
      /HEAD otherwise than GET/,
    ],
    [
      'the error page with 200',
      (_incoming, answer) => void (answer.status === 404 && (answer.status = 200)),
      [['wrong address', 'status']],
      /200 for a wrong address/,
    ],
    [
      'private keys given out',
      ({ url }, answer) => void (url === '/drafts/plan.txt' && (answer.status = 200)),
      [['private object', 'status']],
      /lets anyone read it/,
    ],
    [
      'writing allowed',
      ({ method }, answer) => {
        if (method === 'DELETE') Object.assign(answer, { status: 204, headers: {}, body: Buffer.alloc(0) });
      },
      [['another method', 'status']],
      /let the public only read/,
    ],
    [
      'moved addresses unknown',
      ({ url }, answer) => void (url === '/old' && (answer.status = 404)),
      [['moved address', 'status']],
      /give it the redirect/,
    ],
    [
      'connections that it cuts',
      ({ url }, answer) => void (url === '/film.mp4' && (answer.status = 0)),
      [['object', 'answer']],
      /its own log/,
    ],
  ])('%s', async (_name, change, expected, fix) => {
    const bad = await spoil(change);
    const { code, checked } = await check(home, '--at', bad.url);
    bad.close();
    const kinds = new Map(
      checked.failures.map(({ about, aspect }) => [`${about} ${aspect}`, [about, aspect]]),
    );
    expect([...kinds.values()]).toEqual(expected);
    for (const failure of checked.failures) expect(failure.fix).toMatch(fix);
    expect([code, checked.passed]).toEqual([1, false]);
  });

  it('one whose answers come in any order gives the same report', async () => {
    const spoilt = (headers: Record<string, unknown>): void =>
      void (headers['cache-control'] &&= 'max-age=99');
    const listFailures = async (late: RegExp): Promise<string[]> => {
      const bad = await spoil(async ({ url }, { headers }) => {
        spoilt(headers);
        if (late.test(url ?? '')) await setTimeout(200);
      });
      const { checked } = await check(home, '--at', bad.url);
      bad.close();
      return checked.failures.map(({ about, url }) => `${about} ${new URL(url).pathname}`);
    };
    const [pagesLate, restLate] = [await listFailures(/^\/visit\//), await listFailures(/^\/(?!visit\/)/)];
    expect(pagesLate.length).toBeGreaterThan(3);
    expect(pagesLate).toEqual(restLate);
  });

  it('one that refuses everybody is one finding, and is not asked for everything', async () => {
    const closed = await spoil((_incoming, answer) => void (answer.status = 403));
    const { checked } = await check(home, '--at', closed.url);
    closed.close();
    expect(checked.findings.map(({ rule }) => rule)).toEqual(['endpoint-refuses']);
    expect([checked.failures, closed.asked()]).toEqual([[], 6]);
    const shut = makeProject(FILES, SETTINGS);
    await fenestra(shut, 'publish', '--yes');
    const there = await serve(shut);
    const both = await check(shut, '--at', `http://test-mill.localhost:${there.port}/`);
    await there.stop();
    expect(both.checked.findings.map(({ rule }) => rule)).toEqual(['bucket-closed']);
  });

  it('one that asks for patience gets it, and it is counted', async () => {
    let busy = 0;
    const slow = await spoil(
      ({ url }, answer) => void (url === '/mill.css' && busy++ === 0 && (answer.status = 503)),
    );
    const { code, checked } = await check(home, '--at', slow.url, '--rate', '500');
    slow.close();
    expect([code, checked.probes.retries]).toEqual([0, 1]);
  });

  it('one that dies on the way is known after a few probes', async () => {
    let left = 40;
    const dying = await spoil((_incoming, answer) => void (left-- < 0 && (answer.status = 0)));
    const { code, err } = await fenestra(home, 'check', '--at', dying.url);
    dying.close();
    expect(code).toBe(3);
    expect(err).toMatch(/does not answer: the connection was cut/);
  });
});

describe('a closed bucket', () => {
  it('is one error with its cure, and probed as it will be', async () => {
    const shut = makeProject(FILES, SETTINGS);
    await fenestra(shut, 'publish', '--yes');
    const { code, checked } = await check(shut);
    expect(code).toBe(1);
    expect(checked.findings).toMatchObject([
      { rule: 'bucket-closed', fix: expect.stringContaining('access open') as string },
    ]);
    expect(checked.failures).toEqual([]);
    expect((await check(shut, '--expect', 'closed')).code).toBe(0);
    const away = makeProject();
    const unpublished = await fenestra(away, 'check');
    expect([unpublished.code, unpublished.err]).toEqual([3, expect.stringContaining('no bucket') as string]);
  });
});

describe('what the release says counts, not the folder', () => {
  it('edits that are not published are a note', async () => {
    const edited = makeProject(FILES, SETTINGS);
    await fenestra(edited, 'publish', '--yes');
    writeFiles(edited, {
      'site/visit/index.html': `${PAGE}<a href="/gone/">x</a>`,
      'site/server.pem': 'key',
    });
    const { checked } = await check(edited, '--expect', 'closed');
    expect(checked.findings.map(({ rule }) => rule)).toEqual(['unpublished-edits']);
    await fenestra(edited, 'publish', '--yes', '--sure', 'test-mill');
    rmSync(join(edited, 'site/server.pem'));
    writeFiles(edited, { 'site/visit/index.html': PAGE });
    const later = await check(edited, '--expect', 'closed');
    expect(later.checked.findings.map(({ rule }) => rule)).toEqual([
      'secret-published',
      'reference-missing',
      'unpublished-edits',
    ]);
  });
});

it('accepts an address with a version as a new name, where no other address loads the object', async () => {
  const page = (query: string): string => `${PAGE}<link rel="stylesheet" href="/mill.css${query}">`;
  const home = makeProject(
    { 'site/index.html': page('?v=3'), 'site/mill.css': 'body { margin: 0 }' },
    `${CONFIG}assign:\n  - { to: "*.css", cache: 1 year }\n`,
  );
  const warned = async (): Promise<boolean> =>
    (await check(home, '--unpublished')).checked.findings.some(({ rule }) => rule === 'long-kept-name');
  // The second one is remembered.
  expect([await warned(), await warned()]).toEqual([false, false]);
  writeFiles(home, { 'site/other.html': page('') });
  expect([await warned(), await warned()]).toEqual([true, true]);
});

describe('large sites', () => {
  it('are sampled with some of every kind, and that is said', async () => {
    const many = Object.fromEntries(
      Array.from({ length: 1100 }, (_, n) => [`site/d${n % 5}/f${n}.txt`, `file ${n}`]),
    );
    const large = makeProject({ ...FILES, ...many }, SETTINGS);
    await fenestra(large, 'publish', '--yes');
    const { checked } = await check(large, '--expect', 'open', '--fail-on', 'error');
    expect(checked.sample).toMatchObject({ objects: 1000, of: 1106 });
    // The few of other kinds are all in it.
    expect(checked.probes.run).toBeGreaterThan(1000);
    const text = await fenestra(large, 'check');
    expect(text.out).toMatch(/a sample of 1,000 objects, some of each of \d+ kinds .*--all/);
    expect((await check(large, '--all')).checked.sample.objects).toBe(1106);
  });

  it('of which every object is asked for say the same to a thread of their own as to a stranger', async () => {
    const many = Object.fromEntries(
      Array.from({ length: 1600 }, (_, n) => [`site/d${n % 5}/f${n}.txt`, `file ${n}`]),
    );
    const large = makeProject({ ...FILES, ...many }, SETTINGS);
    await fenestra(large, 'publish', '--yes');
    await fenestra(large, 'access', 'open', '--sure', 'test-mill');
    const { checked: own } = await check(large, '--all');
    expect(own.at).toBe(
      process.platform === 'linux' ? 'http://test-mill.localhost/' : expect.stringContaining('.localhost:'),
    );
    expect(own.sample.objects).toBe(1606);
    const there = await serve(large, '--quiet');
    const at = `http://test-mill.localhost:${there.port}/`;
    const { checked: other } = await check(large, '--all', '--at', at);
    expect(own.probes).toEqual({ ...other.probes, failed: 0 });
    expect(own.matrix).toEqual(other.matrix);
    await there.stop();
  });
});

describe('reports', () => {
  const FAULTY = {
    ...FILES,
    'site/visit/index.html': `${PAGE}<a href="/gone/">x</a>\n<a href="/visit">v</a><img src="/Film.mp4" alt="<script>alert(1)</script>">`,
    'site/a & <b>.html': `${PAGE}<a href="/\u0007\u202e&quot;&gt;&lt;script&gt;">x</a>`,
  };
  let faulty: string;
  beforeAll(async () => {
    faulty = makeProject(FAULTY, SETTINGS);
    await fenestra(faulty, 'publish', '--yes');
    const { code } = await fenestra(
      faulty,
      ...[
        'check',
        '--report',
        'r.html',
        '--report',
        'r.xml',
        '--report',
        'r.sarif',
        '--report',
        'r.json',
        '--everywhere',
      ],
    );
    expect(code).toBe(1);
  });
  const read = (name: string): string => readFileSync(join(faulty, name), 'utf8');

  it('SARIF is valid by its published schema, with a place for each result', () => {
    const ajv = new ajvDraft04.default({ strict: false, allErrors: true, unicodeRegExp: false });
    ajvFormats.default(ajv);
    const validate = ajv.compile(JSON.parse(readFileSync('test/schemas/sarif-2.1.0.json', 'utf8')) as object);
    const log = JSON.parse(read('r.sarif')) as {
      runs: [
        {
          tool: { driver: { rules: { id: string; helpUri: string }[] } };
          results: { ruleId: string; ruleIndex: number; locations?: unknown }[];
        },
      ];
    };
    expect(validate(log) ? [] : validate.errors).toEqual([]);
    const [{ tool, results }] = log.runs;
    expect(results.map(({ ruleId }) => ruleId)).toEqual(
      expect.arrayContaining(['bucket-closed', 'reference-missing', 'reference-case', 'reference-slash']),
    );
    for (const { ruleId, ruleIndex } of results) expect(tool.driver.rules[ruleIndex]?.id).toBe(ruleId);
    for (const { id, helpUri } of tool.driver.rules) {
      const url = new URL(helpUri);
      expect([readFileSync(url, 'utf8').includes(`### ${id}\n`), url.hash]).toEqual([true, `#${id}`]);
    }
    expect(JSON.stringify(results.find(({ ruleId }) => ruleId === 'reference-case')?.locations)).toContain(
      '"uri":"visit/index.html","uriBaseId":"SITE"',
    );
  });

  it('JUnit is well-formed, with a failing case for each rule that counts', () => {
    const failed: string[] = [];
    let current = '';
    const parser = new SaxesParser();
    parser.on('opentag', ({ name, attributes }) => {
      if (name === 'testcase') current = String(attributes['name']);
      if (name === 'failure') failed.push(current);
    });
    parser.on('error', (error) => {
      throw error;
    });
    parser.write(read('r.xml')).close();
    expect(failed.sort()).toEqual([
      'bucket-closed',
      'reference-case',
      'reference-malformed',
      'reference-missing',
    ]);
  });

  it('JSON is what --json prints', async () => {
    const printed = (await check(faulty, '--everywhere')).checked;
    expect((JSON.parse(read('r.json')) as Checked).findings).toEqual(printed.findings);
  });

  it('the page asks for nothing else, runs one script of its own, fits a phone, and every text can be read', async (context) => {
    need(context, 'Chromium');
    const browser = await chromium.launch({
      executablePath: '/usr/bin/chromium',
      args: ['--no-sandbox', '--disable-gpu'],
    });
    try {
      for (const [width, colorScheme] of [
        [1280, 'light'],
        [390, 'dark'],
      ] as const) {
        const page = await browser.newPage({ viewport: { width, height: 800 }, colorScheme });
        const asked: string[] = [];
        page.on('request', (each) => asked.push(each.url()));
        await page.goto(`file://${join(faulty, 'r.html')}`);
        expect(asked).toHaveLength(1);
        // Its policy lets one text run, by its hash; it makes a button at each cure.
        expect(await page.locator('script').count()).toBe(1);
        expect(await page.locator('.cure button').count()).toBe(await page.locator('.cure').count());
        const { wide, poor } = await page.evaluate(READABILITY);
        expect(wide).toBeLessThanOrEqual(width);
        expect(poor).toEqual([]);
        expect(await page.locator('h1').innerText()).toBe('It does not work yet.');
        // The keyboard alone: the first stop leads past the head, and tables that scroll can be reached.
        await page.keyboard.press('Tab');
        expect(await page.evaluate('document.activeElement.getAttribute("href")')).toBe('#findings');
        expect(await page.locator('.scroll[tabindex="0"][role="region"][aria-label]').count()).toBe(1);
        if (width > 1000) {
          const shown = (): Promise<number> => page.locator('.rules > section:visible').count();
          const all = await shown();
          await page.getByLabel('errors').uncheck();
          expect([(await shown()) < all, await page.locator('.rules > .error:visible').count()]).toEqual([
            true,
            0,
          ]);
          await page.getByLabel('errors').check();
          await page.getByLabel('Rule').selectOption('reference-case');
          expect([await shown(), await page.locator('#rule-reference-case').isVisible()]).toEqual([1, true]);
          await page.locator('#rule-reference-case .cure button').click();
          await page.getByText('Copied').waitFor();
          await page.getByLabel('Rule').selectOption('all');
          expect(await shown()).toBe(all);
          await page.getByText('rules with findings').click();
          await page.locator('.contents a', { hasText: 'reference-missing' }).click();
          expect(page.url()).toMatch(/#rule-reference-missing$/);
        }
        await page.close();
      }
      expect(read('r.html')).not.toContain('<script>alert');
    } finally {
      await browser.close();
    }
  });

  it('a report of no known kind, or where nothing can be written, is refused', async () => {
    const kind = await fenestra(faulty, 'check', '--report', 'r.pdf');
    expect([kind.code, kind.err]).toEqual([2, expect.stringContaining('.html') as string]);
    const place = await fenestra(faulty, 'check', '--report', 'no/such/folder/r.html');
    expect([place.code, place.err]).toEqual([
      2,
      expect.stringContaining('--report no/such/folder/r.html') as string,
    ]);
  });

  it('a baseline keeps what is known from failing, and says what is gone', async () => {
    await fenestra(faulty, 'check', '--save-baseline', 'known.json');
    // That visitors are shut out is never known and done with.
    expect(
      (await check(faulty, '--baseline', 'known.json')).checked.findings.map(({ rule }) => rule),
    ).toEqual(['bucket-closed']);
    const quiet = await check(faulty, '--baseline', 'known.json', '--fail-on', 'note', '--expect', 'closed');
    expect([quiet.code, quiet.checked.findings]).toEqual([0, []]);
    expect(quiet.checked.baseline?.gone).toBe(0);
    writeFiles(faulty, { 'site/new.html': `${PAGE}<a href="/other/">x</a>`, 'site/visit/index.html': PAGE });
    await fenestra(faulty, 'publish', '--yes');
    const { code, checked } = await check(faulty, '--baseline', 'known.json', '--expect', 'closed');
    expect([code, checked.findings.map(({ message }) => message)]).toEqual([
      1,
      [expect.stringContaining('/other/') as string],
    ]);
    expect(checked.baseline?.gone).toBeGreaterThan(0);
    for (const text of ['{', '{}', '[]', 'null', '{"findings":[{}],"failures":[]}']) {
      writeFileSync(join(faulty, 'bad.json'), text);
      const { code: refused, err } = await fenestra(faulty, 'check', '--baseline', 'bad.json');
      expect([refused, err]).toEqual([2, expect.stringMatching(/bad\.json cannot be used/) as string]);
    }
  });
});

/** Runs in the browser: how wide the page is, and texts with less contrast than WCAG AA asks for. */
const READABILITY = `(() => {
  const parse = (colour) => (colour.match(/[\\d.]+/g) ?? []).map(Number);
  const light = ([r, g, b]) => [r, g, b].map((v) => (v /= 255) <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4)
    .reduce((sum, v, at) => sum + v * [0.2126, 0.7152, 0.0722][at], 0);
  const behind = (element) => {
    for (let at = element; at; at = at.parentElement) {
      const colour = parse(getComputedStyle(at).backgroundColor);
      if (colour.length === 3 || colour[3] > 0) return colour;
    }
    return [255, 255, 255];
  };
  const poor = [];
  for (const element of document.querySelectorAll('body *:not(style)')) {
    if (![...element.childNodes].some((node) => node.nodeType === 3 && node.data.trim())) continue;
    const style = getComputedStyle(element);
    const own = element instanceof SVGElement ? style.fill : style.color;
    const [a, b] = [light(parse(own)), light(behind(element))].sort((x, y) => y - x);
    if ((a + 0.05) / (b + 0.05) < 4.5) poor.push(element.outerHTML.slice(0, 120) + ' ' + own);
  }
  return { wide: document.documentElement.scrollWidth, poor };
})()` as unknown as () => { wide: number; poor: string[] };

describe('publish --prove', () => {
  it('publishes what passes; keeps the old release and shows the findings when it does not', async () => {
    const proved = makeProject(FILES, SETTINGS);
    const first = await fenestra(proved, 'publish', '--yes', '--prove');
    expect(first.out).toMatch(/Proof It works\./);
    expect([first.code, first.out.includes('Published release 1')]).toEqual([0, true]);

    writeFiles(proved, { 'site/visit/index.html': `${PAGE}<a href="/gone/">x</a>` });
    const broken = await fenestra(proved, 'publish', '--yes', '--prove');
    expect([broken.code, broken.err]).toEqual([
      1,
      expect.stringMatching(/was not published.*1 error.*stays at release 1/) as string,
    ]);
    expect(broken.out).toContain('reference-missing');
    expect((await fenestra(proved, 'history', '--json')).out).not.toContain('"release": 2');
    // Nothing staged is seen by anybody, and nothing is lost: the next publish sends it again or finds it there.
    const store = await fenestra(proved, 'bucket', 'show', '--verify');
    expect(store.out).toContain('Whole');

    await fenestra(proved, 'check', '--expect', 'closed', '--save-baseline', 'known.json');
    const asJson = await fenestra(proved, 'publish', '--yes', '--prove', '--json');
    expect(JSON.parse(asJson.out)).toMatchObject({ release: null, proof: { passed: false } });
    writeFiles(proved, { 'site/visit/index.html': PAGE, 'site/gone/index.html': PAGE });
    const cured = await fenestra(proved, 'publish', '--yes', '--prove', '--fail-on', 'note');
    expect([cured.code, cured.out.includes('Published release 2')]).toEqual([0, true]);
  });

  it('proves what lies there already where nothing has changed', async () => {
    const proved = makeProject(
      { ...FILES, 'site/visit/index.html': `${PAGE}<a href="/gone/">x</a>` },
      SETTINGS,
    );
    await fenestra(proved, 'publish', '--yes');
    const { code, out, err } = await fenestra(proved, 'publish', '--yes', '--prove');
    expect([code, err]).toEqual([
      1,
      expect.stringMatching(/There was nothing to publish, and the check of release 1/),
    ]);
    expect(out).toMatch(/reference-missing/);
    const asJson = await fenestra(proved, 'publish', '--yes', '--prove', '--json');
    expect(JSON.parse(asJson.out)).toMatchObject({ release: 1, changes: [], proof: { passed: false } });
    writeFiles(proved, { 'site/visit/index.html': PAGE });
    await fenestra(proved, 'publish', '--yes');
    expect((await fenestra(proved, 'publish', '--yes', '--prove')).out).toMatch(
      /Nothing has changed[\s\S]*Proof/,
    );
  });

  it('proves a part beside what stays, and goes with no dry run', async () => {
    const proved = makeProject(FILES, SETTINGS);
    await fenestra(proved, 'publish', '--yes');
    writeFiles(proved, {
      'site/visit/index.html': `${PAGE}<a href="/news/">n</a>`,
      'site/news/index.html': PAGE,
    });
    const part = await fenestra(proved, 'publish', '--yes', '--prove', '--matching', 'visit/**');
    expect([part.code, part.out]).toEqual([1, expect.stringContaining('"/news/" leads nowhere') as string]);
    expect((await fenestra(proved, 'publish', '--yes', '--prove')).code).toBe(0);
    expect((await fenestra(proved, 'publish', '--dry-run', '--prove')).code).toBe(2);
    expect((await fenestra(proved, 'publish', '--baseline', 'known.json')).code).toBe(2);
  });
});
