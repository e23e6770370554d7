/** Requests as they lie on the wire: every method, spelling, version, form of a host name and of a date. */
import { connect } from 'node:net';
import { makeRequests, TAG, type HostRequest } from './host-requests.js';

export interface WireRequest extends HostRequest {
  readonly version: '1.0' | '1.1';
  /** How the host is named; `absolute` as part of the target. */
  readonly host: 'plain' | 'upper' | 'dot' | 'portless' | 'absolute' | 'unknown' | 'none';
  /** Which of the buckets it is for. */
  readonly bucket: 'alone' | 'shared' | 'everyone' | 'closed';
}

/** Origins that a bucket is shared with, and others. */
export const FRIENDS = ['https://app.wendlemill.example', 'http://localhost:8080'] as const;
const STRANGERS = ['https://other.example', 'null', 'https://app.wendlemill.example.evil.example'];

const METHODS = [
  ...['HEAD', 'POST', 'PUT', 'DELETE', 'PATCH', 'OPTIONS', 'COPY', 'TRACE', 'PROPFIND', 'LOCK', 'REPORT'],
  ...['SEARCH', 'MKCOL'],
];
const SPELLINGS = [
  ...[
    '/./leaflet.txt',
    '/visit/../leaflet.txt',
    '/visit/%2e%2e/leaflet.txt',
    '/visit/./',
    '/..',
    '/../index.html',
  ],
  ...[
    '//leaflet.txt',
    '/visit//index.html',
    '/leaflet.txt;v=1',
    '/leaflet.txt%20',
    '/%20leaflet.txt',
    '/leaflet%2etxt',
  ],
  ...[
    '/visit%2Findex.html',
    '/visit%2F',
    '/visit%5Cindex.html',
    '/visit\\index.html',
    '/cafe%CC%81%20menu.txt',
    '/caf\u00e9%20menu.txt',
  ],
  ...[
    '/a%20b,c.txt',
    '/a b,c.txt',
    '/leaflet.txt?',
    '/?',
    '/visit?',
    '/leaflet.txt?a=b?c=d',
    '/leaflet.txt??',
    '/leaflet.txt&a=b',
  ],
  ...[
    '/leaflet.txt?q=%zz',
    '/leaflet.txt?q=%00',
    '/leaflet.txt%3Fv=2',
    '/leaflet.txt%23top',
    '/visit/%',
    '/%E2%82',
    '/%C0%AF',
    '/%F0%9F%92%A9',
  ],
  ...[
    '/index.html/',
    '/visit/index.html/',
    '/robots.txt',
    '/.well-known/security.txt',
    '/favicon.ico',
    '/*',
    '/"',
    '/<b>',
    '/|',
    '/{a}',
  ],
  ...[
    `/${'a'.repeat(900)}`,
    `/${'a/'.repeat(200)}`,
    `/leaflet.txt?${'q'.repeat(2000)}`,
    '/~mill',
    '/:',
    '/@',
    '/v1/',
    '/info',
  ],
];
const RANGES = [
  ...[
    'bytes=0-9',
    'bytes=0-0',
    'bytes=-1',
    'bytes=0-',
    'bytes=999999-',
    'bytes=-0',
    'bytes=9-3',
    'bytes=x-y',
    'bytes=-',
  ],
  ...[
    'bytes = 0-3',
    'Bytes=0-3',
    'BYTES=0-3',
    'bytes=0 - 3',
    'bytes=0-3 ',
    'bytes=+0-3',
    'bytes=0x0-3',
    'bytes=0-3;',
    'bytes:0-3',
  ],
  ...[
    'bytes=0-3,',
    ',bytes=0-3',
    'bytes=,0-3',
    'bytes=0-99999999999999999999',
    'bytes=99999999999999999999-',
    'bytes=00-03',
    'lines=0-3',
    '0-3',
    '',
  ],
  ...['bytes=1-2, 5-', 'bytes=0-3,2-5', 'bytes=0-1,999999-'],
];
const DATES = [
  ...['<date>', '<date+1>', '<date-1>', '<date+86400>', '<date-86400>'],
  ...[
    '<date>asctime',
    '<date+60>asctime',
    '<date-60>asctime',
    '<date>rfc850',
    '<date-60>rfc850',
    '<date+60>rfc850',
  ],
  ...[
    '<date>zone',
    '<date+60>zone',
    '<date-7200>est',
    '<date>numeric',
    'Thu, 01 Jan 1970 00:00:00 GMT',
    '0',
    'now',
    '2026-11-30T12:00:00Z',
  ],
];
const OBJECTS = [
  '/',
  '/index.html',
  '/visit/',
  '/posters/supper.png',
  '/film/wheel.mp4',
  '/leaflet.txt',
  '/empty.txt',
  '/data/tides.json',
];
const HIDDEN = [
  '/drafts/',
  '/drafts/plan.html',
  '/drafts',
  '/drafts/none.html',
  '/kept.txt',
  '/drafts/deep/',
  '/drafts/deep',
];

/** @param random numbers from 0 to 1 */
export function makeWireRequests(count: number, random: () => number): WireRequest[] {
  const one = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)] as T;
  const usual = makeRequests(count, random);
  const plain = { version: '1.1', host: 'plain', bucket: 'alone', headers: {} } as const;
  const reading = (): string => (random() < 0.8 ? 'GET' : 'HEAD');
  return usual.map((request): WireRequest => {
    const kind = random();
    if (kind < 0.4) return { ...plain, ...request };
    if (kind < 0.48)
      return {
        ...plain,
        method: one(METHODS),
        path: one([...OBJECTS, '/no-such', '/visit', '/no-such/']),
        headers: { 'content-length': '0' },
      };
    if (kind < 0.6) return { ...plain, method: reading(), path: one(SPELLINGS) };
    if (kind < 0.66)
      return { ...plain, method: reading(), path: one(OBJECTS), headers: { range: one(RANGES) } };
    if (kind < 0.74)
      return {
        ...plain,
        method: reading(),
        path: one(OBJECTS),
        headers: {
          [one(['if-modified-since', 'if-unmodified-since', 'if-range'])]: one(DATES),
          ...(random() < 0.3 ? { range: 'bytes=0-3' } : {}),
        },
      };
    if (kind < 0.79)
      return {
        ...plain,
        method: reading(),
        path: one([...OBJECTS, '/visit', '/no-such']),
        version: '1.0',
        host: one(['plain', 'plain', 'plain', 'plain', 'none']),
        headers: random() < 0.3 ? { range: 'bytes=0-3' } : {},
      };
    if (kind < 0.83)
      return {
        ...plain,
        method: reading(),
        path: one([...OBJECTS, '/visit', '/no-such']),
        host: one(['upper', 'dot', 'portless', 'absolute', 'unknown']),
      };
    if (kind < 0.87) return { ...plain, method: reading(), path: one(HIDDEN) };
    if (kind < 0.9)
      return { ...plain, method: reading(), path: one([...OBJECTS, '/no-such', '/visit']), bucket: 'closed' };
    const origin = one([...FRIENDS, ...FRIENDS, ...STRANGERS]);
    const bucket = one(['alone', 'shared', 'shared', 'everyone'] as const);
    const preflight = random() < 0.4;
    return {
      ...plain,
      bucket,
      method: preflight ? 'OPTIONS' : one(['GET', 'GET', 'HEAD', 'POST']),
      path: one([...OBJECTS, '/no-such', '/visit']),
      headers: {
        origin,
        ...(preflight
          ? {
              'access-control-request-method': one(['GET', 'GET', 'HEAD', 'PUT']),
              ...(random() < 0.5
                ? {
                    'access-control-request-headers': one([
                      'x-mill',
                      'range',
                      'x-a, x-b',
                      'content-type,authorization',
                    ]),
                  }
                : {}),
            }
          : {}),
      },
    };
  });
}

/** A date in one of the forms that are in use, for a form such as `<date-60>rfc850`. */
export function writeDate(form: string, date: number): string | undefined {
  const match = /^<date([+-]\d+)?>(\w*)$/.exec(form);
  if (!match) return undefined;
  const when = new Date(date + Number(match[1] ?? 0) * 1000);
  const written = when.toUTCString();
  const [day = '', dayOfMonth = '', month = '', year = '', time = ''] = written.split(/,? /);
  if (match[2] === 'asctime') return `${day} ${month} ${dayOfMonth.replace(/^0/, ' ')} ${time} ${year}`;
  if (match[2] === 'rfc850')
    return `${['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday'][when.getUTCDay()]}, ${dayOfMonth}-${month}-${year.slice(2)} ${time} GMT`;
  if (match[2] === 'zone') return written.replace('GMT', '+0000');
  if (match[2] === 'est')
    return `${new Date(when.getTime() - 5 * 3_600_000).toUTCString().replace('GMT', 'EST')}`;
  if (match[2] === 'numeric') return String(Math.floor(when.getTime() / 1000));
  return written;
}

export const asksForValidators = (value: string): boolean => value.includes(TAG) || value.startsWith('<date');

export interface WireAnswer {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: Buffer;
}

/** Sends a request as it is written, on a connection of its own, and reads all that comes back. */
export function sendWire(port: number, head: string, method: string): Promise<WireAnswer> {
  return new Promise((done, failed) => {
    const pieces: Buffer[] = [];
    const socket = connect(port, '127.0.0.1', () => socket.write(Buffer.from(head, 'latin1')));
    socket.setTimeout(20_000, () => socket.destroy(new Error(`no answer to ${head}`)));
    const end = (): void => {
      const answer = readAnswer(Buffer.concat(pieces), method);
      socket.destroy();
      if (answer) done(answer);
      else failed(new Error(`no whole answer to ${head}`));
    };
    socket.on('data', (piece) => pieces.push(piece));
    socket.on('error', failed);
    socket.on('end', end);
  });
}

function readAnswer(bytes: Buffer, method: string): WireAnswer | undefined {
  const end = bytes.indexOf('\r\n\r\n');
  if (end < 0) return undefined;
  const [first = '', ...lines] = bytes.subarray(0, end).toString('latin1').split('\r\n');
  const headers: Record<string, string> = {};
  for (const line of lines) {
    const colon = line.indexOf(':');
    const name = line.slice(0, colon).toLowerCase();
    const value = line.slice(colon + 1).trim();
    headers[name] = headers[name] === undefined ? value : `${headers[name]}, ${value}`;
  }
  const raw = bytes.subarray(end + 4);
  const body =
    method === 'HEAD' ? Buffer.alloc(0) : headers['transfer-encoding'] === 'chunked' ? joinChunks(raw) : raw;
  return { status: Number(first.split(' ')[1]), headers, body };
}

function joinChunks(raw: Buffer): Buffer {
  const parts: Buffer[] = [];
  for (let at = 0; ;) {
    const end = raw.indexOf('\r\n', at);
    const size = parseInt(raw.subarray(at, end).toString('latin1'), 16);
    if (!(size > 0)) return Buffer.concat(parts);
    parts.push(raw.subarray(end + 2, end + 2 + size));
    at = end + 4 + size;
  }
}
