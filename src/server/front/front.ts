/** What stands before a bucket: its cache for everybody, whatever the connections are made of. */
import type { Readable } from 'node:stream';
import { formatCacheStatus, NOT_KEPT, type CacheStatus } from '../../core/caching/cache-status.js';
import {
  entryAge,
  makeEntry,
  SharedCache,
  type Entry,
  type FrontRequest,
  type Look,
} from '../../core/caching/shared-cache.js';
import { conditionsFor, isConditional } from '../../core/caching/request-fields.js';
import { decideRange } from '../../core/hosting/byte-range.js';
import { decidePreconditions, ifRangeHolds } from '../../core/hosting/preconditions.js';
import type { Origin } from './ask-origin.js';
import type { FrontAnswer } from './front-answer.js';
import { Collector } from './collector.js';
import { hostOf, rawTarget, validatorsOf, VISITORS_OWN, without } from './front-request.js';
import { readFrontUrl } from './front-url.js';
import { ReadyAnswers } from './ready-answers.js';
import { Busy } from './slots.js';
import { OWN_VISIT, type Visit } from './visitor.js';

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

/** Bytes of all that is kept, with its addresses and headers; and of one body. */
const [MAX_KEPT, LARGEST] = [16 * 2 ** 20, 8 * 2 ** 20];

const NOTHING = Buffer.alloc(0);

export class Front {
  readonly #options: FrontOptions;
  readonly #cache = new SharedCache<Buffer>(MAX_KEPT, LARGEST);
  readonly #collector = new Collector(LARGEST);
  readonly #ready = new ReadyAnswers();
  /** What is being asked for behind visitors' backs. */
  readonly #refreshing = new Set<string>();

  constructor(options: FrontOptions) {
    this.#options = options;
  }

  /**
   * What was answered to the same just now, where that is the answer still.
   * @param authority and target as they came
   */
  again(
    authority: string,
    target: string,
    headers: Readonly<Record<string, string | readonly string[] | undefined>>,
  ): FrontAnswer | undefined {
    const { onServed, clock = Date.now } = this.#options;
    const answer = this.#ready.find(authority, target, headers, this.#cache.changes, clock());
    if (answer && onServed) {
      const url = readFrontUrl(authority, target)?.href ?? target;
      onServed({ method: 'GET', url, status: answer.status, cache: answer.headers['cache-status'] ?? '' });
    }
    return answer;
  }

  /** @throws nothing: where the bucket does not answer, 502 does */
  answer(
    request: FrontRequest,
    body: Buffer | undefined,
    visit: Visit = OWN_VISIT,
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
      const answer = this.#fromEntry(request, look.entry, status, now);
      if (look.kind === 'hit' && request.method === 'GET' && visit.came) {
        const { authority, target } = visit.came;
        const made = { answer, entry: look.entry, changes: this.#cache.changes };
        this.#ready.keep(authority, target, request.headers, made, now);
      }
      return answer;
    }
    if (look.kind === 'refuse')
      return this.#finish(request, 504, {}, NOTHING, { hit: false, detail: 'only-if-cached' });
    return this.#ask(request, look, body, visit).catch((error: unknown) => {
      const entry = this.#cache.staleIfError(look, clock());
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
    visit: Visit,
  ): Promise<FrontAnswer> {
    const { origin, shared, clock = Date.now } = this.#options;
    const { method, url } = request;
    const { pathname, search } = new URL(url);
    const isConfirming = Object.keys(look.conditions).length > 0;
    // Of what is kept whole a whole answer is wanted: the visitor's own conditions and parts are answered from it.
    const own =
      isConfirming || (shared && method === 'GET' && request.headers['range'] === undefined)
        ? without(request.headers, VISITORS_OWN)
        : request.headers;
    const target = rawTarget(url) ?? pathname + search;
    const asked = { ...request, method: isConfirming ? 'GET' : method };
    const came = await origin.ask({
      method: asked.method,
      target,
      headers: { ...own, ...look.conditions },
      body: sent,
      visit,
    });
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
    const collected =
      shared && !Buffer.isBuffer(came.body)
        ? this.#collector.begin(asked, { ...came, body: came.body, at: now }, (body) =>
            this.#cache.take(asked, look, { status, headers, body, bytes: body.length }, now),
          )
        : undefined;
    const stored =
      collected !== undefined || (shared && taken.notKept === undefined && method === 'GET' && status < 500);
    const said: CacheStatus = {
      hit: false,
      forward: look.forward,
      forwardStatus: status,
      stored,
      ...(stored || taken.notKept === undefined ? {} : { detail: NOT_KEPT[taken.notKept] }),
    };
    if (taken.entry) return this.#fromEntry(request, taken.entry, said, now);
    if (whole && status === 200 && own !== request.headers && isConditional(request.headers))
      return this.#fromEntry(
        request,
        makeEntry({ status, headers, body: whole, bytes: whole.length, at: now }, {}),
        said,
        now,
      );
    if (!whole && status === 200 && own !== request.headers && isConditional(request.headers)) {
      const { outcome } = decidePreconditions(request.headers, validatorsOf(headers, now));
      if (outcome !== 'go-on') {
        (collected ?? (came.body as Readable)).destroy();
        const { 'content-length': _length, ...rest } = headers;
        return outcome === 'not-modified'
          ? this.#finish(request, 304, rest, undefined, said)
          : this.#finish(request, 412, {}, NOTHING, said);
      }
    }
    const goesOut = collected ?? came.body;
    if (method !== 'HEAD') return this.#finish(request, status, { ...headers }, goesOut, said);
    if (!Buffer.isBuffer(goesOut)) goesOut.destroy();
    return this.#finish(request, status, { ...headers }, undefined, said);
  }

  /** A copy that may be used a little longer is asked for once, whoever else comes meanwhile. */
  #refresh(request: FrontRequest, { entry }: { readonly entry: Entry<Buffer> }): void {
    const { url } = request;
    if (this.#refreshing.has(url)) return;
    this.#refreshing.add(url);
    const look = {
      kind: 'ask' as const,
      forward: 'stale' as const,
      entry,
      conditions: conditionsFor(entry.headers),
    };
    void this.#ask(
      { ...request, method: 'GET', headers: without(request.headers, VISITORS_OWN) },
      look,
      undefined,
      OWN_VISIT,
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
    if (isConditional(request.headers)) {
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
