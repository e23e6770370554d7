/** What stands behind the front, asked over HTTP. */
import { Readable } from 'node:stream';
import { Pool } from 'undici';

export interface OriginAnswer {
  readonly status: number;
  /** Names in lower case; of a repeated one the values joined by commas. */
  readonly headers: Readonly<Record<string, string>>;
  /** All of a small body, or one that comes piece by piece. */
  readonly body: Buffer | Readable;
}

export interface Origin {
  /** @throws Error where nobody answers */
  ask(
    method: string,
    target: string,
    headers: Readonly<Record<string, string>>,
    body: Buffer | undefined,
  ): Promise<OriginAnswer>;
  close(): Promise<void>;
}

/** Headers that speak of one connection (RFC 9110 section 7.6.1). */
export const OF_CONNECTION: ReadonlySet<string> = new Set([
  ...['connection', 'keep-alive', 'proxy-connection', 'transfer-encoding', 'upgrade', 'te', 'trailer'],
  ...['http2-settings', 'expect'],
]);

const CONNECTIONS = 32;
const TIMEOUT_MS = 60_000;

/** @param origin such as `http://127.0.0.1:4680` @param largest bytes of a body that is given in one piece */
export function createOrigin(origin: string, largest: number): Origin {
  const pool = new Pool(origin, {
    connections: CONNECTIONS,
    headersTimeout: TIMEOUT_MS,
    bodyTimeout: TIMEOUT_MS,
  });
  return {
    async ask(method, target, headers, body) {
      const sent = Object.fromEntries(
        Object.entries(headers).filter(([name]) => !OF_CONNECTION.has(name) && !name.startsWith(':')),
      );
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
      const isLarge = method !== 'HEAD' && Number(kept['content-length'] ?? 0) > largest;
      return {
        status: reply.statusCode,
        headers: kept,
        body: isLarge ? reply.body : await readUpTo(reply.body, largest),
      };
    },
    close: () => pool.destroy(),
  };
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
