/** What an access log says of a span of time: counted line by line, in memory that does not grow with it. */
import { createReadStream } from 'node:fs';
import { createGunzip } from 'node:zlib';
import type { PathCount } from '../../core/cost/card-cost.js';
import { parseLogLine } from '../../core/cost/log-line.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { reasonInWords } from '../../core/errors/system-error.js';

export interface LogCounts {
  readonly reads: number;
  readonly writes: number;
  /** Of the reads, those of what is not there. */
  readonly missing: number;
  /** Of the reads, those that were answered with 304. */
  readonly confirmed: number;
  /** Of all bodies. */
  readonly bytes: number;
  /** Lines that are no requests. */
  readonly unread: number;
  /** From the first to the last request, in seconds. */
  readonly seconds: number;
  /** By path; of very many those that came first. */
  readonly paths: ReadonlyMap<string, PathCount>;
}

const PIECE = 1 << 20;
/** A longer line is none. */
const MAX_LINE = 64 * 1024;
const MAX_PATHS = 100_000;
const NEWLINE = 0x0a;
/** Of so many lines one is asked for its time, which takes longest. */
const TIMED = 1024;

/** @throws FenestraError LOG_UNREADABLE */
export async function readLog(
  path: string,
  advance: (bytes: number) => void = () => undefined,
): Promise<LogCounts> {
  const counts = new Counting();
  let read = 0;
  try {
    const first = await firstBytes(path);
    const isPacked = first[0] === 0x1f && first[1] === 0x8b;
    const file = createReadStream(path, { highWaterMark: PIECE });
    const source = isPacked ? file.pipe(createGunzip({ chunkSize: PIECE })) : file;
    if (isPacked) file.on('error', (error) => source.destroy(error));
    for await (const piece of source as AsyncIterable<Buffer>) {
      counts.take(piece);
      read += piece.length;
      advance(read);
    }
    counts.end();
  } catch (error) {
    throw new FenestraError('LOG_UNREADABLE', { path, reason: reasonInWords(error) }, error);
  }
  return counts.result();
}

async function firstBytes(path: string): Promise<Buffer> {
  const pieces: Buffer[] = [];
  for await (const piece of createReadStream(path, { end: 1 })) pieces.push(piece as Buffer);
  return Buffer.concat(pieces);
}

class Counting {
  #reads = 0;
  #writes = 0;
  #missing = 0;
  #confirmed = 0;
  #bytes = 0;
  #unread = 0;
  #lines = 0;
  #from = Infinity;
  #to = -Infinity;
  readonly #paths = new Map<string, PathCount>();
  #rest: Buffer = Buffer.alloc(0);
  /** The last line, whose time is wanted. */
  #last: Buffer | undefined;

  take(piece: Buffer): void {
    const bytes = this.#rest.length === 0 ? piece : Buffer.concat([this.#rest, piece]);
    let [from, last] = [0, 0];
    for (let end = bytes.indexOf(NEWLINE); end >= 0; end = bytes.indexOf(NEWLINE, from)) {
      this.#line(bytes, from, end);
      last = from;
      from = end + 1;
    }
    if (from > 0) this.#last = Buffer.from(bytes.subarray(last, from - 1));
    const rest = bytes.subarray(from);
    // What goes on and on is no line; its end is looked for all the same.
    this.#rest = Buffer.from(rest.length > MAX_LINE ? rest.subarray(rest.length - 1) : rest);
  }

  end(): void {
    if (this.#rest.length > 0) {
      this.#last = this.#rest;
      this.#line(this.#rest, 0, this.#rest.length);
    }
    const last = this.#last && parseLogLine(this.#last, 0, this.#last.length, true);
    if (last) this.#note(last.at);
  }

  result(): LogCounts {
    return {
      reads: this.#reads,
      writes: this.#writes,
      missing: this.#missing,
      confirmed: this.#confirmed,
      bytes: this.#bytes,
      unread: this.#unread,
      seconds: this.#to > this.#from ? (this.#to - this.#from) / 1000 : 0,
      paths: this.#paths,
    };
  }

  #note(at: number): void {
    if (Number.isNaN(at)) return;
    if (at < this.#from) this.#from = at;
    if (at > this.#to) this.#to = at;
  }

  #line(bytes: Buffer, from: number, end: number): void {
    if (end === from) return;
    const withTime = this.#lines++ % TIMED === 0 || this.#from === Infinity;
    const request = parseLogLine(bytes, from, end, withTime);
    if (!request) {
      this.#unread++;
      return;
    }
    if (withTime) this.#note(request.at);
    const { method, path, status } = request;
    this.#bytes += request.bytes;
    if (method !== 'GET' && method !== 'HEAD') {
      this.#writes++;
      return;
    }
    this.#reads++;
    if (status === 404 || status === 410) this.#missing++;
    if (status === 304) this.#confirmed++;
    const known = this.#paths.get(path);
    if (known) {
      known.requests++;
      known.bytes += request.bytes;
    } else if (this.#paths.size < MAX_PATHS) this.#paths.set(path, { requests: 1, bytes: request.bytes });
  }
}
