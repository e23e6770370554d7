/** What stands behind the front, asked over HTTP. */
import { Readable } from 'node:stream';
import { Pool } from 'undici';
import { LongAnswers, Turns } from './slots.js';
import { NOBODY, type Visitor } from './visitor.js';

export interface OriginAnswer {
  readonly status: number;
  /** Names in lower case; of a repeated one the values joined by commas. */
  readonly headers: Readonly<Record<string, string>>;
  /** All of a small body, or one that comes piece by piece. */
  readonly body: Buffer | Readable;
}

export interface OriginRequest {
  readonly method: string;
  readonly target: string;
  readonly headers: Readonly<Record<string, string>>;
  readonly body?: Buffer | undefined;
  readonly visitor?: Visitor;
  /** Up to how many bytes the body of an answer is wanted in one piece. */
  readonly wholeUpTo?: (status: number, headers: Readonly<Record<string, string>>) => number;
}

export interface Origin {
  /** @throws Busy where too much is under way; Error where nobody answers */
  ask(request: OriginRequest): Promise<OriginAnswer>;
  close(): Promise<void>;
}

/** Headers that speak of one connection (RFC 9110 section 7.6.1). */
export const OF_CONNECTION: ReadonlySet<string> = new Set([
  ...['connection', 'keep-alive', 'proxy-connection', 'transfer-encoding', 'upgrade', 'te', 'trailer'],
  ...['http2-settings', 'expect'],
]);

/** Answers under way at once that are read in one go, those that wait for that, and those that come piece by piece. */
const [TURNS, MAX_WAITING, LONG, LONG_OF_ONE] = [16, 2000, 24, 16];
/** So many connections the front makes at the most. */
export const ORIGIN_CONNECTIONS = TURNS + LONG;
const TIMEOUT_MS = 30_000;
/** Smaller bodies are always given in one piece. Bytes. */
export const SMALL_BODY = 64 * 1024;

/**
 * @param origin such as `http://127.0.0.1:4680`
 * @param socket of this machine, at which it is asked in place of the port
 */
export function createOrigin(origin: string, socket?: string): Origin {
  const pool = new Pool(origin, {
    ...(socket === undefined ? {} : { connect: { socketPath: socket } }),
    connections: ORIGIN_CONNECTIONS,
    headersTimeout: TIMEOUT_MS,
    bodyTimeout: TIMEOUT_MS,
  });
  const turns = new Turns(TURNS, MAX_WAITING);
  const long = new LongAnswers(LONG, LONG_OF_ONE);
  return {
    async ask({ method, target, headers, body, visitor = NOBODY, wholeUpTo = () => SMALL_BODY }) {
      const sent = Object.fromEntries(
        Object.entries(headers).filter(([name]) => !OF_CONNECTION.has(name) && !name.startsWith(':')),
      );
      const giveBack = await turns.take();
      try {
        const reply = await pool.request({
          method: method as 'GET',
          path: target,
          headers: { ...sent, via: '2.0 fenestra' },
          ...(body === undefined ? {} : { body }),
        });
        const kept: Record<string, string> = {};
        for (const [name, value] of Object.entries(reply.headers))
          if (value !== undefined && !OF_CONNECTION.has(name))
            kept[name] = typeof value === 'string' ? value : value.join(', ');
        // Whoever lets go of it half-way is no failure of anybody.
        reply.body.on('error', () => undefined);
        const whole = wholeUpTo(reply.statusCode, kept);
        const isLong = method !== 'HEAD' && Number(kept['content-length'] ?? 0) > whole;
        const read = isLong ? reply.body : await readUpTo(reply.body, whole);
        return {
          status: reply.statusCode,
          headers: kept,
          body: Buffer.isBuffer(read) ? read : openLong(long, visitor, read),
        };
      } finally {
        giveBack();
      }
    },
    close: () => pool.destroy(),
  };
}

function openLong(long: LongAnswers, visitor: Visitor, body: Readable): Readable {
  try {
    return long.open(visitor, body);
  } catch (error) {
    body.destroy();
    throw error;
  }
}

/** All of a body that is small enough, whether it said so or not; else one that goes on with what was read of it. */
async function readUpTo(body: Readable, most: number): Promise<Buffer | Readable> {
  const pieces: Buffer[] = [];
  let bytes = 0;
  const coming = body[Symbol.asyncIterator]() as AsyncIterator<Buffer>;
  for (;;) {
    const { done, value } = await coming.next();
    if (done) return Buffer.concat(pieces);
    pieces.push(value);
    bytes += value.length;
    if (bytes > most) break;
  }
  async function* all(): AsyncGenerator<Buffer> {
    yield* pieces.splice(0);
    for (let next = await coming.next(); next.done !== true; next = await coming.next()) yield next.value;
  }
  const whole = Readable.from(all());
  whole.on('error', () => undefined).on('close', () => body.destroy());
  return whole;
}
