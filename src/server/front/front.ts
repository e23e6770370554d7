/** What stands before a bucket: its cache for everybody, whatever the connections are made of. */
import type { Readable } from 'node:stream';
import { formatCacheStatus, NOT_KEPT, type CacheStatus } from '../../core/caching/cache-status.js';
import { parseHttpDate } from '../../core/caching/http-date.js';
import {
  entryAge,
  makeEntry,
  SharedCache,
  type Entry,
  type FrontRequest,
  type Look,
} from '../../core/caching/shared-cache.js';
import { decideRange } from '../../core/hosting/byte-range.js';
import { decidePreconditions, ifRangeHolds, type Validators } from '../../core/hosting/preconditions.js';
import { decideKeeping } from '../../core/caching/shared-freshness.js';
import { SMALL_BODY, type Origin } from './ask-origin.js';
import { Busy } from './slots.js';
import { NOBODY, type Visitor } from './visitor.js';

export interface FrontAnswer {
  readonly status: number;
  /** Names in lower case. */
  readonly headers: Record<string, string>;
  readonly body: Buffer | Readable | undefined;
}

export interface FrontOptions {
  readonly origin: Origin;
  /** Whether it keeps a cache at all. */
  readonly shared: boolean;
  /** Seconds for which browsers are told to come by https alone; 0 for not at all. */
  readonly secureOnly: number;
  /** The hosts that are told so. */
  readonly secureHosts: ReadonlySet<string>;
  readonly onServed?: ((served: FrontServed) => void) | undefined;
  /** Milliseconds since the epoch. */
  readonly clock?: (() => number) | undefined;
}

export interface FrontServed {
  readonly method: string;
  readonly url: string;
  readonly status: number;
  readonly cache: string;
}

/** Bytes of all that is kept, with its addresses and headers; of one body; and of bodies that are being read to be kept. */
const [MAX_KEPT, LARGEST, MAX_READING] = [64 * 2 ** 20, 8 * 2 ** 20, 24 * 2 ** 20];

const NOTHING = Buffer.alloc(0);

export class Front {
  readonly #options: FrontOptions;
  readonly #cache = new SharedCache<Buffer>(MAX_KEPT, LARGEST);
  #reading = 0;
  /** What is being asked for behind visitors' backs. */
  readonly #refreshing = new Set<string>();

  constructor(options: FrontOptions) {
    this.#options = options;
  }

  /** @throws nothing: where the bucket does not answer, 502 does */
  answer(
    request: FrontRequest,
    body: Buffer | undefined,
    visitor: Visitor = NOBODY,
  ): FrontAnswer | Promise<FrontAnswer> {
    const { shared, clock = Date.now } = this.#options;
    const now = clock();
    const look: Look<Buffer> = shared
      ? this.#cache.look(request, now)
      : { kind: 'ask', forward: 'bypass', conditions: {} };
    if (look.kind === 'hit' || look.kind === 'grace') {
      if (look.kind === 'grace') this.#refresh(request, look);
      const status: CacheStatus = {
        hit: true,
        ttl: look.left,
        ...(look.kind === 'grace' ? { detail: 'asked behind' } : {}),
      };
      return this.#fromEntry(request, look.entry, status, now);
    }
    if (look.kind === 'refuse')
      return this.#finish(request, 504, {}, NOTHING, { hit: false, detail: 'only-if-cached' });
    return this.#ask(request, look, body, visitor).catch((error: unknown) => {
      const entry = this.#cache.standIn(look, clock());
      return entry
        ? this.#fromEntry(
            request,
            entry,
            { hit: true, forward: look.forward, detail: 'nobody answered' },
            clock(),
          )
        : error instanceof Busy
          ? this.#finish(request, 503, { 'retry-after': '1' }, NOTHING, {
              hit: false,
              forward: look.forward,
              detail: 'too much is under way',
            })
          : this.#finish(
              request,
              502,
              { 'content-type': 'text/plain; charset=utf-8' },
              Buffer.from('The bucket does not answer.\n'),
              { hit: false, forward: look.forward, detail: 'nobody answered' },
            );
    });
  }

  async #ask(
    request: FrontRequest,
    look: Extract<Look<Buffer>, { kind: 'ask' }>,
    sent: Buffer | undefined,
    visitor: Visitor,
  ): Promise<FrontAnswer> {
    const { origin, shared, clock = Date.now } = this.#options;
    const { method, url } = request;
    const { pathname, search } = new URL(url);
    const isConditional = Object.keys(look.conditions).length > 0;
    // Of what is kept whole a whole answer is wanted: the visitor's own conditions and parts are answered from it.
    const own =
      isConditional || (shared && method === 'GET' && request.headers['range'] === undefined)
        ? without(request.headers, VISITORS_OWN)
        : request.headers;
    const target = rawTarget(url) ?? pathname + search;
    const asked = { ...request, method: isConditional ? 'GET' : method };
    let reserved = 0;
    const came = await origin
      .ask({
        method: asked.method,
        target,
        headers: { ...own, ...look.conditions },
        body: sent,
        visitor,
        wholeUpTo: (status, headers) => {
          const wanted = shared ? this.#wanted(asked, status, headers, clock()) : 0;
          if (wanted <= SMALL_BODY) return SMALL_BODY;
          this.#reading += reserved = wanted;
          return wanted;
        },
      })
      .finally(() => (this.#reading -= reserved));
    const now = clock();
    const { status, headers } = came;
    const whole = Buffer.isBuffer(came.body) ? came.body : undefined;
    const taken = shared
      ? this.#cache.take(
          asked,
          look,
          { status, headers, body: whole ?? NOTHING, bytes: whole ? whole.length : Infinity },
          now,
        )
      : {};
    const stored = shared && taken.notKept === undefined && method === 'GET' && status < 500;
    const said: CacheStatus = {
      hit: false,
      forward: look.forward,
      forwardStatus: status,
      stored,
      ...(taken.notKept === undefined ? {} : { detail: NOT_KEPT[taken.notKept] }),
    };
    if (taken.entry) return this.#fromEntry(request, taken.entry, said, now);
    if (whole && status === 200 && own !== request.headers && hasOwnWishes(request))
      return this.#fromEntry(
        request,
        makeEntry({ status, headers, body: whole, bytes: whole.length, at: now }, {}),
        said,
        now,
      );
    if (!whole && status === 200 && own !== request.headers && hasOwnWishes(request)) {
      const { outcome } = decidePreconditions(request.headers, validatorsOf(headers, now));
      if (outcome !== 'go-on') {
        if (!Buffer.isBuffer(came.body)) came.body.destroy();
        const { 'content-length': _length, ...rest } = headers;
        return outcome === 'not-modified'
          ? this.#finish(request, 304, rest, undefined, said)
          : this.#finish(request, 412, {}, NOTHING, said);
      }
    }
    return this.#finish(request, status, { ...headers }, method === 'HEAD' ? undefined : came.body, said);
  }

  /** How many bytes of a body are worth reading at once, since they will be kept; 0 where there is no room for them. */
  #wanted(
    request: FrontRequest,
    status: number,
    headers: Readonly<Record<string, string>>,
    at: number,
  ): number {
    const bytes = Number(headers['content-length'] ?? NaN);
    if (!(bytes <= LARGEST) || request.method !== 'GET' || status === 206) return 0;
    if (decideKeeping(request, { status, headers, at }) !== undefined) return 0;
    return this.#reading + bytes <= MAX_READING ? bytes : 0;
  }

  /** A copy that may be used a little longer is asked for once, whoever else comes meanwhile. */
  #refresh(request: FrontRequest, { entry }: { readonly entry: Entry<Buffer> }): void {
    const { url } = request;
    if (this.#refreshing.has(url)) return;
    this.#refreshing.add(url);
    const { etag, 'last-modified': modified } = entry.headers as Readonly<Record<string, string>>;
    const look = {
      kind: 'ask' as const,
      forward: 'stale' as const,
      entry,
      conditions: {
        ...(etag === undefined ? {} : { 'if-none-match': etag }),
        ...(modified === undefined ? {} : { 'if-modified-since': modified }),
      },
    };
    void this.#ask(
      { ...request, method: 'GET', headers: without(request.headers, VISITORS_OWN) },
      look,
      undefined,
      NOBODY,
    )
      .then(({ body }) => {
        if (body && !Buffer.isBuffer(body)) body.resume();
      })
      .catch(() => undefined)
      .finally(() => this.#refreshing.delete(url));
  }

  #fromEntry(request: FrontRequest, entry: Entry<Buffer>, said: CacheStatus, now: number): FrontAnswer {
    const { method, headers: asked } = request;
    const { status, headers, body } = entry;
    const age = entryAge(entry, now);
    const own: Record<string, string> = {
      ...(headers as Record<string, string>),
      age: String(Math.floor(age)),
    };
    const shown: CacheStatus =
      said.ttl === undefined ? { ...said, ttl: entry.freshness.lifetime - age } : said;
    if (status !== 200)
      return this.#finish(request, status, own, method === 'HEAD' ? undefined : body, shown);
    const validators = validatorsOf(own, now);
    if (hasOwnWishes(request)) {
      const { outcome } = decidePreconditions(asked, validators);
      const { 'content-length': _length, ...rest } = own;
      if (outcome === 'not-modified') return this.#finish(request, 304, rest, undefined, shown);
      if (outcome === 'failed') return this.#finish(request, 412, { age: own['age'] ?? '0' }, NOTHING, shown);
    }
    const range = method === 'GET' ? asked['range'] : undefined;
    if (range !== undefined && (asked['if-range'] === undefined || ifRangeHolds(asked, validators))) {
      const part = decideRange(range, body.length);
      if (part === 'unsatisfiable') {
        own['content-range'] = `bytes */${body.length}`;
        own['content-length'] = '0';
        return this.#finish(request, 416, own, NOTHING, shown);
      }
      if (part !== 'whole') {
        own['content-range'] = `bytes ${part.start}-${part.end}/${body.length}`;
        own['content-length'] = String(part.end - part.start + 1);
        return this.#finish(request, 206, own, body.subarray(part.start, part.end + 1), shown);
      }
    }
    return this.#finish(request, status, own, method === 'HEAD' ? undefined : body, shown);
  }

  #finish(
    { method, url }: FrontRequest,
    status: number,
    headers: Record<string, string>,
    body: FrontAnswer['body'],
    said: CacheStatus,
  ): FrontAnswer {
    const { secureOnly, secureHosts, onServed } = this.#options;
    const cache = formatCacheStatus(said);
    const own = headers;
    own['cache-status'] = cache;
    if (Buffer.isBuffer(body) && own['content-length'] === undefined)
      own['content-length'] = String(body.length);
    if (secureOnly > 0 && secureHosts.has(hostOf(url)))
      own['strict-transport-security'] = `max-age=${secureOnly}`;
    onServed?.({ method, url, status, cache });
    return { status, headers: own, body };
  }
}

/** What a visitor asks of a copy that it has itself. */
const VISITORS_OWN: ReadonlySet<string> = new Set([
  'if-none-match',
  'if-modified-since',
  'if-match',
  'if-unmodified-since',
  'if-range',
  'range',
]);

const validatorsOf = (headers: Readonly<Record<string, string>>, at: number): Validators => ({
  etag: headers['etag'] ?? '',
  // A date that is not there compares with none.
  lastModified: parseHttpDate(headers['last-modified'] ?? '') ?? NaN,
  at,
});

const CONDITIONS = ['if-none-match', 'if-modified-since', 'if-match', 'if-unmodified-since'];

const hasOwnWishes = ({ headers }: FrontRequest): boolean =>
  CONDITIONS.some((name) => headers[name] !== undefined);

const without = (
  headers: Readonly<Record<string, string>>,
  names: ReadonlySet<string>,
): Readonly<Record<string, string>> =>
  Object.fromEntries(Object.entries(headers).filter(([name]) => !names.has(name)));

/** The host of an address that begins with a scheme. */
const hostOf = (url: string): string => {
  const from = url.indexOf('//') + 2;
  const end = url.indexOf('/', from);
  const authority = end < 0 ? url.slice(from) : url.slice(from, end);
  const colon = authority.lastIndexOf(':');
  return colon > 0 ? authority.slice(0, colon) : authority;
};

/** Path and query as they came: what a URL makes of them may be another key. */
const rawTarget = (url: string): string | undefined => {
  const at = url.indexOf('/', url.indexOf('//') + 2);
  return at < 0 ? undefined : url.slice(at);
};
