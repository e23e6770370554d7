import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import { once } from 'node:events';
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { afterEach, expect, it } from 'vitest';
import { fenestra, fenestraJson, makeFolder, PAGE } from './helpers/program.js';

type Answer = (request: IncomingMessage, response: ServerResponse, path: string) => void;

const ends: (() => Promise<void>)[] = [];
afterEach(async () => {
  for (const end of ends.splice(0)) await end();
});

/** @returns its address, and the targets that it was asked for */
async function hostSite(answer: Answer): Promise<{ readonly at: string; readonly asked: string[] }> {
  const asked: string[] = [];
  const server = createServer((request, response) => {
    asked.push(`${request.headers.host ?? ''}${request.url ?? ''}`);
    answer(request, response, (request.url ?? '').replace(/\?.*/, ''));
  }).listen(0, '127.0.0.1');
  await once(server, 'listening');
  ends.push(async () => {
    server.closeAllConnections();
    server.close();
    await once(server, 'close');
  });
  return { at: `http://127.0.0.1:${(server.address() as AddressInfo).port}/`, asked };
}

const page = (...links: string[]): string =>
  PAGE.replace('</html>', `${links.map((link) => `<a href="${link}">x</a>`).join('')}</html>`);

const TRAPS: Answer = (_request, response, path) => {
  const send = (body: string | Buffer, headers: Record<string, string> = {}): void => {
    response.writeHead(200, { 'Content-Type': 'text/html', ...headers });
    response.end(body);
  };
  if (path === '/')
    return send(
      page(
        '/cal/1/1',
        '/loop/a',
        '/deep/',
        '/words/a',
        '/endless.bin',
        '/drip',
        '/odd',
        '/bomb',
        '../../../etc/passwd',
      ) +
        [
          '/%2e%2e/%2e%2e/outside',
          '/..%2f..%2foutside',
          '//other.invalid/x',
          'http://other.invalid/y',
          '/%00',
          '/__proto__',
        ]
          .map((link) => `<a href="${link}">x</a>`)
          .join(''),
    );
  const [, first, ...rest] = path.split('/');
  switch (first) {
    case 'cal':
      return send(
        page(...[1, 2, 3].map((step) => `/cal/${Number(rest[0]) + step}/${Number(rest[1]) + step}`)),
      );
    case 'words':
      return send(page(`/words/${rest[0] ?? ''}a`, `/words/${rest[0] ?? ''}b`));
    case 'deep':
      return send(page('further/', 'more/'));
    case 'loop':
      response.writeHead(302, { Location: rest[0] === 'a' ? '/loop/b' : '/loop/a' });
      return void response.end();
    case 'endless.bin': {
      response.writeHead(200, { 'Content-Type': 'application/octet-stream' });
      const piece = Buffer.alloc(1 << 20);
      const go = (): void => {
        while (!response.destroyed && response.write(piece));
        if (!response.destroyed) response.once('drain', go);
      };
      return go();
    }
    case 'drip': {
      response.writeHead(200, { 'Content-Type': 'text/html' });
      const timer = setInterval(() => response.write('.'), 100);
      return void response.once('close', () => clearInterval(timer));
    }
    case 'bomb':
      return send(Buffer.from('no gzip at all'), { 'Content-Encoding': 'gzip' });
    case 'odd':
      return send(PAGE, {
        'Content-Type': 'text/html; charset=";',
        'Cache-Control': 'max-age=99999999999999999999, x="',
        Expires: 'tomorrow',
        'Content-Language': 'not a tag!',
        'Content-Disposition': 'sideways',
        'X-Long': 'x'.repeat(8000),
      });
    default:
      response.writeHead(404, { 'Content-Type': 'text/html' });
      return void response.end(PAGE);
  }
};

it('a site without end is looked at within bounds, and nothing is written beside the config', async () => {
  const { at, asked } = await hostSite(TRAPS);
  const outside = makeFolder();
  const home = makeFolder({ 'inner/keep.txt': 'kept' });
  const said = await fenestraJson<{ asked: number; passedOver: Record<string, string[]> }>(
    home,
    ...['init', '--at', at, '--bucket', 'traps', '--at-most', '300', '--answer-time', '1'],
  );
  expect(said.asked).toBeLessThanOrEqual(300);
  expect(asked.length).toBeLessThan(350);
  expect(said.passedOver['no answer']).toContain('/drip');
  expect(said.passedOver['too large']).toContain('/endless.bin');
  // Never another host, whatever the links say.
  expect(asked.filter((each) => !each.startsWith(new URL(at).host))).toEqual([]);
  expect(asked.filter((each) => /(?:\/further|\/more){5}/.test(each))).toEqual([]);
  expect(readdirSync(home).sort()).toEqual(['.fenestra', 'fenestra.schema.json', 'fenestra.yaml', 'inner']);
  expect(readdirSync(outside)).toEqual([]);
  const fetching = makeFolder();
  const got = await fenestraJson<{ files: number }>(
    fetching,
    ...[
      'init',
      '--at',
      at,
      '--bucket',
      'traps',
      '--at-most',
      '150',
      '--answer-time',
      '1',
      '--fetch',
      'got/site',
    ],
  );
  expect(got.files).toBeGreaterThan(100);
  expect(readdirSync(fetching).sort()).toEqual(['.fenestra', 'fenestra.schema.json', 'fenestra.yaml', 'got']);
  expect(readdirSync(outside)).toEqual([]);
  const checked = await fenestra(fetching, 'config', 'check');
  expect([checked.code, checked.err, checked.out]).toEqual([0, '', expect.any(String)]);
  expect((await fenestra(fetching, 'survey')).code).toBe(0);
}, 60_000);

it('what a site shows is fetched under names that a bucket gives the same addresses', async () => {
  const pages: Readonly<Record<string, string>> = {
    '/': page('/about', '/visit/', '/notes', '/notes/first.txt', '/caf%C3%A9.html', '/styles/mill.css'),
    '/about': PAGE,
    '/visit/': PAGE,
    '/notes': 'a text, and a folder',
    '/notes/first.txt': 'first',
    '/caf%C3%A9.html': PAGE,
    '/styles/mill.css': 'p { color: navy }',
  };
  const { at } = await hostSite((_request, response, path) => {
    const body = pages[path];
    const type = path.endsWith('.css') ? 'text/css' : /notes/.test(path) ? 'text/plain' : 'text/html';
    const isPacked = path === '/styles/mill.css';
    response.writeHead(body === undefined ? 404 : 200, {
      'Content-Type': type,
      'Cache-Control': 'max-age=600',
      ...(isPacked ? { 'Content-Encoding': 'gzip' } : {}),
    });
    response.end(isPacked ? gzipSync(body ?? '') : (body ?? 'nothing'));
  });
  const home = makeFolder({ 'full/other.txt': 'of somebody else' });
  const refused = await fenestra(home, 'init', '--at', at, '--bucket', 'fetched', '--fetch', 'full');
  expect([refused.code, readdirSync(join(home, 'full'))]).toEqual([2, ['other.txt']]);
  const said = await fenestraJson<{ passedOver: Record<string, string[]>; differences: unknown[] }>(
    home,
    ...['init', '--at', at, '--bucket', 'fetched', '--fetch', 'site'],
  );
  const files = readdirSync(join(home, 'site'), { recursive: true, encoding: 'utf8' }).sort();
  expect(files).toEqual(
    [
      'about',
      'about/index.html',
      'café.html',
      'index.html',
      'notes',
      'styles',
      'styles/mill.css',
      'visit',
      'visit/index.html',
    ].sort(),
  );
  expect(said.passedOver).toEqual({ 'no file name': ['/notes/first.txt'] });
  expect(readFileSync(join(home, 'site/styles/mill.css'), 'utf8')).toBe(pages['/styles/mill.css']);
  expect(said.differences).toContainEqual(
    expect.objectContaining({ aspect: 'status', of: ['/about', '/notes/first.txt'] }),
  );
  const config = readFileSync(join(home, 'fenestra.yaml'), 'utf8');
  expect(config).toContain('encoding: gzip');
  expect(config).toContain('cache: 10 minutes');
  await fenestraJson(home, 'publish', '--yes');
});

it('robots.txt is obeyed, unless the site is one of the asker', async () => {
  const robots =
    'User-agent: other\nDisallow: /\n\nUser-agent: Fenestra\nUser-agent: *\nDisallow: /hidden\nAllow: /hidden/open\nDisallow: /*.pdf$\n';
  const { at, asked } = await hostSite((_request, response, path) => {
    response.writeHead(200, { 'Content-Type': path === '/robots.txt' ? 'text/plain' : 'text/html' });
    response.end(
      path === '/robots.txt'
        ? robots
        : page('/hidden/a', '/hidden/open', '/leaflet.pdf', '/leaflet.pdf.html'),
    );
  });
  const home = makeFolder();
  const said = await fenestraJson<{ passedOver: Record<string, string[]> }>(
    home,
    'init',
    '--at',
    at,
    '--bucket',
    'robots',
  );
  expect(said.passedOver['robots']).toEqual(['/hidden/a', '/leaflet.pdf']);
  const paths = asked.map((each) => each.slice(each.indexOf('/')));
  expect(paths).toContain('/hidden/open');
  expect(paths).toContain('/leaflet.pdf.html');
  expect(paths).not.toContain('/hidden/a');
  expect(paths).not.toContain('/leaflet.pdf');
  const own = makeFolder();
  await fenestraJson(own, 'init', '--at', at, '--bucket', 'robots', '--mine');
  expect(asked.some((each) => each.endsWith('/hidden/a'))).toBe(true);
});

it('what robots.txt keeps from view is not opened, folder by folder', async () => {
  const { at } = await hostSite((_request, response, path) => {
    response.writeHead(200, { 'Content-Type': path === '/robots.txt' ? 'text/plain' : 'text/html' });
    response.end(path === '/robots.txt' ? 'User-agent: *\nDisallow: /drafts/\nDisallow: /visit/late' : PAGE);
  });
  const home = makeFolder({
    'site/index.html': PAGE,
    'site/drafts/a.html': PAGE,
    'site/drafts/b/c.html': PAGE,
    'site/visit/index.html': PAGE,
    'site/visit/late.html': PAGE,
  });
  await fenestraJson(home, 'init', 'site', '--at', at, '--bucket', 'unseen');
  expect(readFileSync(join(home, 'fenestra.yaml'), 'utf8')).toContain(
    'except: [ drafts/**, visit/late.html ]',
  );
});

it('a site that lets nobody look is left alone', async () => {
  const { at, asked } = await hostSite((_request, response) => {
    response.writeHead(503);
    response.end();
  });
  const home = makeFolder();
  const { code, err } = await fenestra(home, 'init', '--at', at, '--bucket', 'closed');
  expect(code).toBe(2);
  expect(err).toContain('--mine');
  expect(asked).toHaveLength(1);
  expect(existsSync(join(home, 'fenestra.yaml'))).toBe(false);
});

it('a host that sends its visitors on to another is not taken for the site', async () => {
  const { at, asked } = await hostSite((_request, response, path) => {
    response.writeHead(
      path === '/' ? 301 : 404,
      path === '/' ? { Location: 'https://www.other.invalid/' } : {},
    );
    response.end();
  });
  const home = makeFolder();
  const { code, err } = await fenestra(home, 'init', '--at', at, '--bucket', 'elsewhere');
  expect([code, err]).toEqual([2, expect.stringContaining('--at https://www.other.invalid/')]);
  expect(asked.filter((each) => !each.startsWith(new URL(at).host))).toEqual([]);
  expect(existsSync(join(home, 'fenestra.yaml'))).toBe(false);
});

it('a look that was cut short goes on where it stopped, and the config comes with the end alone', async () => {
  let isUp = true;
  let served = 0;
  const { at, asked } = await hostSite((request, response, path) => {
    if (!isUp || served++ > 60) {
      isUp = false;
      return void request.socket.destroy();
    }
    response.writeHead(path === '/robots.txt' ? 404 : 200, {
      'Content-Type': 'text/html',
      'Cache-Control': 'no-store',
    });
    response.end(page(...Array.from({ length: 100 }, (_, at) => `/page-${at}.html`)));
  });
  const home = makeFolder();
  const cut = await fenestra(home, 'init', '--at', at, '--bucket', 'cut');
  expect([cut.code, cut.err]).toEqual([3, expect.stringContaining('Run the same command again')]);
  expect(existsSync(join(home, 'fenestra.yaml'))).toBe(false);
  const first = new Set(asked.slice(0, 55));
  asked.length = 0;
  [isUp, served] = [true, -1000];
  const said = await fenestraJson<{ asked: number }>(home, 'init', '--at', at, '--bucket', 'cut');
  expect(said.asked).toBeGreaterThan(100);
  expect(asked.filter((each) => first.has(each) && !each.endsWith('/robots.txt'))).toEqual([]);
  const config = readFileSync(join(home, 'fenestra.yaml'), 'utf8');
  expect(config).toContain('cache: never');
  expect(existsSync(join(home, '.fenestra/adopting.jsonl'))).toBe(false);
});
