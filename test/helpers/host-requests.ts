/** Requests as browsers, crawlers and mistakes make them, for hosts that are to answer alike. */

/** Stands for the host's own ETag of the object, and for its own date, give or take some seconds. */
export const TAG = '<tag>';
export const DATE = /^<date([+-]\d+)?>$/;

export interface HostRequest {
  readonly method: string;
  readonly path: string;
  readonly headers: Readonly<Record<string, string>>;
}

/** What is published where they are asked. */
export const HOSTED: Readonly<
  Record<string, { readonly text: string; readonly headers: Record<string, string> }>
> = {
  'index.html': {
    text: '<!doctype html><title>Mill</title>',
    headers: { 'Content-Type': 'text/html; charset=utf-8', 'Cache-Control': 'no-cache' },
  },
  'not-found.html': {
    text: '<!doctype html><title>No such page</title>',
    headers: { 'Content-Type': 'text/html; charset=utf-8', 'Cache-Control': 'no-cache' },
  },
  'visit/index.html': {
    text: '<!doctype html><title>Visit</title>',
    headers: { 'Content-Type': 'text/html', 'Content-Language': 'en-GB' },
  },
  'posters/supper.png': {
    text: 'picture '.repeat(400),
    headers: { 'Content-Type': 'image/png', 'Cache-Control': 'max-age=864000' },
  },
  'film/wheel.mp4': {
    text: 'frame '.repeat(2000),
    headers: { 'Content-Type': 'video/mp4', 'Cache-Control': 'max-age=31536000, immutable' },
  },
  'data/tides.json': {
    text: '{"high":[]}',
    headers: { 'Content-Type': 'application/json', Expires: 'Thu, 31 Dec 2026 00:00:00 GMT' },
  },
  'leaflet.txt': {
    text: 'Milling at high water',
    headers: {
      'Content-Type': 'text/plain; charset=utf-8',
      'Content-Disposition': 'attachment; filename="leaflet.txt"',
    },
  },
  'café menu.txt': { text: 'Scones', headers: { 'Content-Type': 'text/plain; charset=utf-8' } },
  'a+b,c.txt': { text: 'a and b', headers: { 'Content-Type': 'text/plain' } },
  'empty.txt': { text: '', headers: { 'Content-Type': 'text/plain' } },
};

const PATHS = [
  ...['/', '/index.html', '/visit/', '/visit/index.html', '/posters/supper.png', '/film/wheel.mp4'],
  ...[
    '/data/tides.json',
    '/leaflet.txt',
    '/caf%C3%A9%20menu.txt',
    '/a+b,c.txt',
    '/a%2Bb%2Cc.txt',
    '/empty.txt',
  ],
  ...['/leaflet.txt?v=2', '/?utm=1', '/visit/?a=b', '/%6Ceaflet.txt', '/caf%c3%a9%20menu.txt'],
];
const FOLDERS = ['/visit', '/visit?a=b', '/posters', '/posters/', '/film', '/film/', '/data?x=y'];
const MISSING = [
  ...[
    '/no-such',
    '/no-such/',
    '/visit/no-such',
    '/visit/no/such/',
    '/no-such?x=1',
    '/Visit/',
    '/LEAFLET.txt',
  ],
  ...['//', '/visit//', '/leaflet.txt/', '/a%20b', '/index.html.txt', '/visit/index', '/%E2%82%AC'],
];
const STRANGE = ['/%zz', '/%', '/leaflet.txt%zz', '/%00', '/a%00b', '/%FF', '/visit/%FF/', '/100%'];

const CONDITIONS: readonly (readonly [string, readonly string[]])[] = [
  ['if-none-match', [TAG, `W/${TAG}`, '"another"', `"another", ${TAG}`, '*', 'another', '"another"', TAG]],
  ['if-modified-since', ['<date>', '<date+60>', '<date-60>', 'yesterday', '<date>']],
  ['if-match', [TAG, '"another"', '*', `"another", ${TAG}`]],
  ['if-unmodified-since', ['<date>', '<date+60>', '<date-60>', 'soon']],
];
const RANGES = [
  'bytes=0-9',
  'bytes=5-',
  'bytes=-7',
  'bytes=0-0',
  'bytes=0-999999',
  'bytes=999999-',
  'bytes=-999999',
  'bytes=-0',
  'bytes=9-3',
  'bytes=x-y',
  'items=0-3',
  'bytes=',
  'bytes=3-3,4-9',
];
const IF_RANGES = [TAG, '"another"', '<date>', '<date-60>'];

/** @param random numbers from 0 to 1 */
export function makeRequests(count: number, random: () => number): HostRequest[] {
  const one = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)] as T;
  return Array.from({ length: count }, (_, at): HostRequest => {
    const kind = random();
    const method = random() < 0.8 ? 'GET' : 'HEAD';
    if (kind < 0.1) return { method, path: one(FOLDERS), headers: {} };
    if (kind < 0.25)
      return { method, path: one(MISSING), headers: random() < 0.2 ? { [one(CONDITIONS)[0]]: '*' } : {} };
    if (kind < 0.29) return { method, path: one(STRANGE), headers: {} };
    if (kind < 0.34)
      return {
        method: one(['POST', 'PUT', 'DELETE', 'PATCH', 'OPTIONS']),
        path: `/no-such-${at}`,
        headers: { 'content-length': '0' },
      };
    const headers: Record<string, string> = {};
    if (random() < 0.6) {
      const [name, values] = one(CONDITIONS);
      headers[name] = one(values);
      if (random() < 0.4) {
        const [other, more] = one(CONDITIONS);
        headers[other] = one(more);
      }
    }
    if (random() < 0.4) headers['range'] = one(RANGES);
    if (headers['range'] !== undefined && random() < 0.3) headers['if-range'] = one(IF_RANGES);
    if (random() < 0.2) headers['accept-encoding'] = one(['gzip', 'br, gzip', 'identity']);
    return { method, path: one(PATHS), headers };
  });
}
