/** What an access log says of a span of time: counted line by line, in memory that does not grow with it. */
import { createReadStream } from 'node:fs';
import { createGunzip } from 'node:zlib';
import type { PathCount } from '../../core/cost/card-cost.js';
import { parseLogLine } from '../../core/cost/log-line.js';
import { LogSpans, type LogSpan } from '../../core/cost/log-span.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { reasonInWords } from '../../core/errors/system-error.js';
import { countOf } from '../../core/words/counts.js';

export interface LogCounts {
  readonly reads: number;
  readonly writes: number;
  /** Of the reads, those of what is not there. */
  readonly missing: number;
  /** Of the reads, those that were answered with 304. */
  readonly confirmed: number;
  /** Of all bodies. */
  readonly bytes: number;
  /** Of the reads, those of programs that say that they are one. */
  readonly robots: number;
  /** Lines with something in them. */
  readonly lines: number;
  /** Lines that are no requests. */
  readonly unread: number;
  /** Undefined where no line says a time. */
  readonly span: LogSpan | undefined;
  /** By path; of very many those that came first. */
  readonly paths: ReadonlyMap<string, PathCount>;
}

const PIECE = 1 << 20;
/** A longer line is none. */
const MAX_LINE = 64 * 1024;
const MAX_PATHS = 100_000;
const [NEWLINE, RETURN] = [0x0a, 0x0d];

/** @throws FenestraError LOG_UNREADABLE, also where nothing in it is a request */
export async function readLog(
  path: string,
  advance: (bytes: number) => void = () => undefined,
): Promise<LogCounts> {
  const counts = new Counting();
  await eachLogLine(path, (bytes, from, end) => counts.take(bytes, from, end), advance);
  const result = counts.result();
  if (result.lines === result.unread)
    throw new FenestraError('LOG_UNREADABLE', {
      path,
      reason:
        result.lines === 0
          ? 'it is empty'
          : `none of its ${countOf(result.lines, 'line')} is a request as such logs write them`,
    });
  return result;
}

/**
 * Calls with each line that has something in it; the buffer is good for the call alone.
 * @param path of a log, as it is or packed by gzip
 * @throws FenestraError LOG_UNREADABLE
 */
export async function eachLogLine(
  path: string,
  take: (bytes: Buffer, from: number, end: number) => void,
  advance: (bytes: number) => void = () => undefined,
): Promise<void> {
  const lines = new Lines(take);
  let read = 0;
  try {
    const first = await firstBytes(path);
    const isPacked = first[0] === 0x1f && first[1] === 0x8b;
    const file = createReadStream(path, { highWaterMark: PIECE });
    const source = isPacked ? file.pipe(createGunzip({ chunkSize: PIECE })) : file;
    if (isPacked) file.on('error', (error) => source.destroy(error));
    for await (const piece of source as AsyncIterable<Buffer>) {
      lines.take(piece);
      read += piece.length;
      advance(read);
    }
    lines.end();
  } catch (error) {
    throw new FenestraError('LOG_UNREADABLE', { path, reason: reasonInWords(error) }, error);
  }
}

async function firstBytes(path: string): Promise<Buffer> {
  const pieces: Buffer[] = [];
  for await (const piece of createReadStream(path, { end: 1 })) pieces.push(piece as Buffer);
  return Buffer.concat(pieces);
}

/** Parts pieces into lines. */
class Lines {
  readonly #take: (bytes: Buffer, from: number, end: number) => void;
  #rest: Buffer = Buffer.alloc(0);

  constructor(take: (bytes: Buffer, from: number, end: number) => void) {
    this.#take = take;
  }

  take(piece: Buffer): void {
    const bytes = this.#rest.length === 0 ? piece : Buffer.concat([this.#rest, piece]);
    let from = 0;
    for (let end = bytes.indexOf(NEWLINE); end >= 0; end = bytes.indexOf(NEWLINE, from)) {
      this.#line(bytes, from, end);
      from = end + 1;
    }
    const rest = bytes.subarray(from);
    // What goes on and on is no line; its end is looked for all the same.
    this.#rest = Buffer.from(rest.length > MAX_LINE ? rest.subarray(rest.length - 1) : rest);
  }

  end(): void {
    if (this.#rest.length > 0) this.#line(this.#rest, 0, this.#rest.length);
  }

  #line(bytes: Buffer, from: number, end: number): void {
    if (end === from || (end === from + 1 && bytes[from] === RETURN)) return;
    this.#take(bytes, from, end);
  }
}

class Counting {
  #reads = 0;
  #writes = 0;
  #missing = 0;
  #confirmed = 0;
  #bytes = 0;
  #unread = 0;
  #lines = 0;
  #robots = 0;
  readonly #spans = new LogSpans();
  readonly #paths = new Map<string, PathCount>();

  result(): LogCounts {
    return {
      reads: this.#reads,
      writes: this.#writes,
      missing: this.#missing,
      confirmed: this.#confirmed,
      bytes: this.#bytes,
      robots: this.#robots,
      lines: this.#lines,
      unread: this.#unread,
      span: this.#spans.result(),
      paths: this.#paths,
    };
  }

  take(bytes: Buffer, from: number, end: number): void {
    this.#lines++;
    const request = parseLogLine(bytes, from, end);
    if (!request) {
      this.#unread++;
      return;
    }
    this.#spans.note(request.at);
    const { method, path, status } = request;
    this.#bytes += request.bytes;
    if (method !== 'GET' && method !== 'HEAD') {
      this.#writes++;
      return;
    }
    this.#reads++;
    if (status === 404 || status === 410) this.#missing++;
    if (status === 304) this.#confirmed++;
    if (request.isRobot) this.#robots++;
    const known = this.#paths.get(path);
    if (known) {
      known.requests++;
      known.bytes += request.bytes;
    } else if (this.#paths.size < MAX_PATHS) this.#paths.set(path, { requests: 1, bytes: request.bytes });
  }
}
