/** Asking a store over HTTP: signed in, again where that helps, never for ever. */
import { hash } from 'node:crypto';
import { Readable } from 'node:stream';
import { setTimeout as wait } from 'node:timers/promises';
import { request, type Dispatcher } from 'undici';
import { FenestraError } from '../../core/errors/catalogue.js';
import { networkReason } from '../../core/errors/network-error.js';
import { Pools } from '../../http/pools.js';
import { exchange, flat, TooLong, type AnswerBounds, type Answered } from './exchange.js';
import { Pace } from './pace.js';
import { storeRefused } from './refused.js';
import { signIn, type Session, type SignIn } from './sign-in.js';
import { steadily } from './steady.js';

export interface Call {
  readonly method: 'GET' | 'HEAD' | 'PUT' | 'POST' | 'DELETE' | 'COPY';
  /** Below the account, with its leading slash, percent-encoded. */
  readonly path: string;
  readonly headers?: Readonly<Record<string, string>>;
  /** A function makes it anew for each try, piece by piece; its length and digest stand in the headers then. */
  readonly body?: Buffer | (() => AsyncIterable<Uint8Array>);
  /** Statuses that are answers, beside those of success. */
  readonly expect?: readonly number[];
}

export interface Reply {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: Dispatcher.ResponseData['body'];
}

export interface ClientOptions extends Omit<SignIn, 'dispatcher' | 'wholeMs'> {
  /** Further proxies of the same store: scheme, host and port. */
  readonly proxies?: readonly string[] | undefined;
  /** Connections at once. */
  readonly connections?: number;
  /** Milliseconds for a connection, for the head of an answer, and for each part of its body. */
  readonly timeoutMs?: number;
  /** Tries in all. */
  readonly tries?: number;
  /** Milliseconds for which a store that says that it is busy is asked after those. */
  readonly patienceMs?: number | undefined;
}

/** Worth another try (RFC 9110 section 15, and what this kind of store means by them). */
const AGAIN = new Set([408, 422, 429, 498, 500, 502, 503, 504]);
/** Milliseconds before the second try; each further one waits twice as long, give or take half. */
const FIRST_WAIT = 200;
const MAX_WAIT = 20_000;
/** What says that it is too busy, or that too few of its machines answer. */
const BUSY = new Set([429, 503]);
const MAX_CONNECTIONS = 16;
const MAX_TEXT = 64 * 2 ** 20;
/** Bytes of what a store says that it can, and of why it refuses something. */
const [MAX_INFO, MAX_REASON] = [2 ** 20, 64 * 1024];
/** An answer may take as many times as long as its parts. */
const WHOLE = 3;
const TIMEOUT_MS = 60_000;

export class SwiftClient {
  readonly store: string;
  readonly #options: ClientOptions;
  readonly #agent: Pools;
  readonly #pace: Pace;
  #session: Promise<Session> | undefined;
  #capabilities: Promise<ReadonlySet<string>> | undefined;
  /** Requests that were made, for reports. */
  requests = 0;

  constructor(options: ClientOptions) {
    this.store = options.store;
    this.#options = options;
    const timeout = options.timeoutMs ?? TIMEOUT_MS;
    const connections = options.connections ?? MAX_CONNECTIONS;
    this.#pace = new Pace(connections);
    this.#agent = new Pools({
      connections,
      pipelining: 1,
      connect: { timeout },
      headersTimeout: timeout,
      bodyTimeout: timeout,
    });
  }

  /** Where the account is, without a closing slash. @throws FenestraError STORE_UNREACHABLE, SIGN_IN_REFUSED */
  async account(): Promise<string> {
    return (await this.#signedIn()).account;
  }

  /**
   * @returns an answer of success, or one that is expected; its body has to be read or dumped
   * @throws FenestraError STORE_UNREACHABLE, STORE_REFUSED, SIGN_IN_REFUSED
   */
  call(call: Call): Promise<Reply> {
    return this.#ask(
      call,
      async (session) => {
        const { origin, path, ...options } = this.#request(call, session);
        const asked = await request(origin + path, { ...options, dispatcher: this.#agent });
        const { statusCode: status, headers, body } = asked;
        return { status, headers: flat(headers), body };
      },
      ({ body }) => readReason(body),
    );
  }

  /** The same with the whole body. @throws FenestraError as `call` */
  bytes(call: Call): Promise<Answered> {
    return this.#ask(
      call,
      async (session) => {
        try {
          return await exchange(this.#agent, this.#request(call, session), this.#bounds(MAX_TEXT));
        } catch (error) {
          if (!(error instanceof TooLong)) throw error;
          throw this.#refused(call, 200, 'an answer without end');
        }
      },
      ({ bytes }) => Promise.resolve(bytes.toString()),
    );
  }

  /** The same, where the body of the answer says nothing that is needed. */
  done(call: Call): Promise<Omit<Answered, 'bytes'>> {
    return this.bytes(call);
  }

  async #ask<T extends { readonly status: number; readonly headers: Answered['headers'] }>(
    call: Call,
    send: (session: Session) => Promise<T>,
    read: (reply: T) => Promise<string>,
  ): Promise<T> {
    const tries = this.#options.tries ?? 6;
    let isRenewed = false;
    let failure: FenestraError | undefined;
    const began = Date.now();
    // A proxy leaves out a node that failed for a minute: one that has come back is not asked before.
    const mayGoOn = (): boolean =>
      BUSY.has(Number(failure?.details['status'])) && Date.now() - began < (this.#options.patienceMs ?? 0);
    for (let attempt = 1; attempt <= tries || mayGoOn(); attempt++) {
      if (attempt === tries + 1) this.#sayWaiting(failure);
      const session = await this.#signedIn();
      let after: number | undefined;
      await this.#pace.enter();
      try {
        this.requests++;
        const reply = await send(session);
        const { status } = reply;
        if ((status >= 200 && status < 300) || call.expect?.includes(status)) {
          this.#pace.grow();
          return reply;
        }
        after = Number(reply.headers['retry-after']);
        failure = this.#refused(call, status, shorten(await read(reply)));
        if (status === 401 && !isRenewed) {
          // A token dies when its time is over.
          isRenewed = true;
          this.#session = undefined;
          continue;
        }
        if (!AGAIN.has(status)) throw failure;
        if (status !== 422) this.#pace.shrink();
      } catch (error) {
        if (error instanceof FenestraError) {
          if (error !== failure || !AGAIN.has(Number(error.details['status']))) throw error;
        } else {
          this.#pace.shrink();
          failure = new FenestraError(
            'STORE_UNREACHABLE',
            {
              store: this.store,
              at: new URL(session.account).host,
              reason: networkReason(error) ?? String(error),
            },
            error,
          );
        }
      } finally {
        this.#pace.leave();
      }
      if (attempt < tries || mayGoOn()) await wait(waitBefore(Math.min(attempt, tries), after));
    }
    throw failure ?? new Error('nothing was tried');
  }

  /** Is told, once, that the store is busy and is waited for. */
  tell: ((text: string) => void) | undefined;
  #saysWaiting = false;

  #sayWaiting(failure: FenestraError | undefined): void {
    if (this.#saysWaiting) return;
    this.#saysWaiting = true;
    const seconds = Math.round((this.#options.patienceMs ?? 0) / 1000);
    const status = String(failure?.details['status']);
    this.tell?.(`The store "${this.store}" answers ${status}: waiting for it, ${seconds} seconds at most.`);
  }

  #refused({ method, path }: Call, status: number, said: string): FenestraError {
    return storeRefused(this.store, `${method} ${path}`, status, said);
  }

  /**
   * Each proxy remembers for a while what a container was; being asked by somebody who has signed in, it looks anew. One
   * that does not answer forgets by itself.
   */
  async refresh(path: string): Promise<void> {
    const session = await this.#signedIn();
    for (const proxy of this.#options.proxies ?? []) {
      this.requests++;
      const asked = { ...this.#request({ method: 'HEAD', path }, session), origin: proxy };
      await exchange(this.#agent, asked, this.#bounds(MAX_REASON)).catch(() => undefined);
    }
  }

  /** What the store says that it can, beside the plain: `slo` and so on; nothing where it does not tell. */
  capabilities(): Promise<ReadonlySet<string>> {
    return (this.#capabilities ??= this.#askCapabilities());
  }

  async #askCapabilities(): Promise<ReadonlySet<string>> {
    try {
      const { origin, base } = await this.#signedIn();
      // Beside the version in the storage address, or at the root of the host.
      const above = base.replace(/\/v1(?:\/.*)?$/, '');
      for (const path of new Set([`${above}/info`, '/info'])) {
        this.requests++;
        const asked = { origin, path, method: 'GET' as const };
        const { status, bytes } = await exchange(this.#agent, asked, this.#bounds(MAX_INFO));
        const said = status === 200 ? namesIn(bytes.toString()) : undefined;
        if (said) return new Set(said);
      }
      return new Set();
    } catch (error) {
      if (error instanceof FenestraError) throw error;
      return new Set();
    }
  }

  #bounds(bytes: number): AnswerBounds {
    return { bytes, ms: (this.#options.timeoutMs ?? TIMEOUT_MS) * WHOLE };
  }

  /** A body that comes piece by piece. @throws TooSlow */
  steadily(body: Reply['body']): AsyncIterable<Buffer> {
    return steadily(body as AsyncIterable<Buffer>, this.#options.timeoutMs ?? TIMEOUT_MS);
  }

  async close(): Promise<void> {
    await this.#agent.close();
  }

  /** Headers as a list: a publish makes very many requests, and a list is a third of the memory. */
  #request({ method, path, headers = {}, body }: Call, { token, origin, base }: Session) {
    const list = ['x-auth-token', token];
    for (const name in headers) list.push(name, headers[name] ?? '');
    // What arrives as something else is refused. A manifest is not the object that its sum would be taken for.
    const isObject = method === 'PUT' && !path.includes('?multipart-manifest=');
    if (Buffer.isBuffer(body) && isObject && headers['etag'] === undefined)
      list.push('etag', hash('md5', body, 'hex'));
    return {
      origin,
      path: base + path,
      method: method as Dispatcher.HttpMethod,
      headers: list,
      body: body === undefined ? null : Buffer.isBuffer(body) ? body : streamOf(body()),
    };
  }

  #signedIn(): Promise<Session> {
    this.#session ??= signIn({
      ...this.#options,
      dispatcher: this.#agent,
      wholeMs: this.#bounds(0).ms,
    }).catch((error: unknown) => {
      this.#session = undefined;
      throw error;
    });
    return this.#session;
  }
}

/** Why a store refuses something, as far as anybody would read. */
async function readReason(body: Reply['body']): Promise<string> {
  let text = '';
  for await (const piece of body) {
    text += String(piece);
    if (text.length > MAX_REASON) break;
  }
  return text;
}

/** The names of a JSON object; undefined where a text is none. */
function namesIn(text: string): string[] | undefined {
  try {
    const said: unknown = JSON.parse(text);
    return typeof said === 'object' && said !== null && !Array.isArray(said) ? Object.keys(said) : undefined;
  } catch {
    return undefined;
  }
}

/** A body that is sent as it comes. */
const streamOf = (pieces: AsyncIterable<Uint8Array>): Readable =>
  Readable.from(pieces, { objectMode: false });

/** A tag without its quotes; '' where there is none. */
export const unquoted = (tag: string | undefined): string => (tag ?? '').replace(/^"|"$/g, '');

/** What an answer says, for messages. */
const shorten = (text: string): string =>
  text
    .replace(/<[^>]{0,200}>/g, ' ')
    .replace(/\s+/g, ' ')
    .trim()
    .slice(0, 120)
    // Whoever quotes it ends the sentence.
    .replace(/\.{1,3}$/, '');

/** Milliseconds: what the store asks for, or longer each time, and not all at the same moment. */
const waitBefore = (attempt: number, after: number | undefined): number =>
  after !== undefined && after >= 0
    ? Math.min(MAX_WAIT, after * 1000)
    : Math.min(MAX_WAIT, FIRST_WAIT * 2 ** (attempt - 1)) * (0.5 + Math.random());
