/** What stands behind the front, asked over HTTP. */
import { OF_CONNECTION } from '../../core/caching/request-fields.js';
import { Readable } from 'node:stream';
import { Pool } from 'undici';
import { LongAnswers } from './long-answers.js';
import { Busy, Slots } from './slots.js';
import { OWN_VISIT, type Visit } from './visitor.js';

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
  readonly visit?: Visit;
}

export interface Origin {
  /** @throws Busy where too much is under way; Error where nobody answers */
  ask(request: OriginRequest): Promise<OriginAnswer>;
  close(): Promise<void>;
}

/** Answers under way at once that are read in one go, and those that come piece by piece; and how many of a visitor wait. */
const [AT_ONCE, LONG, MAX_WAITING] = [16, 10, 256];
/** So many connections the front makes at the most. */
export const ORIGIN_CONNECTIONS = AT_ONCE + LONG;
const TIMEOUT_MS = 30_000;
/** Bodies up to this size are read in one go, whoever takes them how fast. Bytes. */
const SMALL_BODY = 256 * 1024;

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
  const atOnce = new Slots(AT_ONCE, MAX_WAITING);
  const long = new LongAnswers(LONG, MAX_WAITING);
  /** @param place for a long answer, where there is one already @returns undefined where it is long and there is none */
  const ask = async (
    { method, target, headers, body, visit = OWN_VISIT }: OriginRequest,
    place: (() => void) | undefined,
  ): Promise<OriginAnswer | undefined> => {
    const sent = Object.fromEntries(
      Object.entries(headers).filter(([name]) => !OF_CONNECTION.has(name) && !name.startsWith(':')),
    );
    const giveBack = await atOnce.take(visit);
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
      const length = method === 'HEAD' ? 0 : Number(kept['content-length'] ?? NaN);
      const read = length > SMALL_BODY ? reply.body : await readUpTo(reply.body, length);
      if (Buffer.isBuffer(read)) return { status: reply.statusCode, headers: kept, body: read };
      const own = place ?? long.tryTake();
      if (!own) return void read.destroy();
      return { status: reply.statusCode, headers: kept, body: long.open(read, own) };
    } finally {
      giveBack();
    }
  };
  return {
    async ask(request) {
      const first = await ask(request, undefined);
      if (first) return first;
      // It is asked for again once there is room: what waits holds no connection.
      const place = await long.take(request.visit ?? OWN_VISIT);
      try {
        const answer = await ask(request, place);
        if (!answer) throw new Busy();
        if (Buffer.isBuffer(answer.body)) place();
        return answer;
      } catch (error) {
        place();
        throw error;
      }
    },
    close: () => pool.destroy(),
  };
}

/**
 * All of a body that is small enough, whether it said so or not; else one that goes on with what was read of it.
 * @param length NaN where it does not say so
 */
async function readUpTo(body: Readable, length: number): Promise<Buffer | Readable> {
  const pieces: Buffer[] = [];
  let bytes = 0;
  const coming = body[Symbol.asyncIterator]() as AsyncIterator<Buffer>;
  for (;;) {
    const { done, value } = await coming.next();
    if (done) return Buffer.concat(pieces);
    pieces.push(value);
    bytes += value.length;
    if (!(length <= SMALL_BODY) && bytes > SMALL_BODY) break;
  }
  async function* all(): AsyncGenerator<Buffer> {
    yield* pieces.splice(0);
    for (let next = await coming.next(); next.done !== true; next = await coming.next()) yield next.value;
  }
  const whole = Readable.from(all());
  return whole.on('error', () => undefined).on('close', () => body.destroy());
}
