/** One request and its whole answer, without a stream for each: a publish makes very many. */
import type { IncomingHttpHeaders } from 'node:http';
import type { Dispatcher } from 'undici';

export interface Answered {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  readonly bytes: Buffer;
}

/** An answer has more bytes than anybody would wait for. */
export class TooLong extends Error {}

/** An answer that began is not whole in its time. */
export class TooSlow extends Error {
  constructor() {
    super('the answer is not whole in time');
  }
}

export interface AnswerBounds {
  /** Bytes of its body. */
  readonly bytes: number;
  /** Milliseconds until it is whole, however steadily something comes of it. */
  readonly ms: number;
}

const NOTHING = Buffer.alloc(0);

/** @throws TooLong, TooSlow, or the system's or undici's error when nothing answers */
export const exchange = (
  dispatcher: Dispatcher,
  options: Dispatcher.DispatchOptions,
  bounds: AnswerBounds,
): Promise<Answered> =>
  new Promise((done, failed) => dispatcher.dispatch(options, new Taker(bounds, done, failed)));

class Taker implements Dispatcher.DispatchHandler {
  readonly #most: number;
  readonly #ms: number;
  #timer: NodeJS.Timeout | undefined;
  readonly #done: (answer: Answered) => void;
  readonly #failed: (error: Error) => void;
  #status = 0;
  #headers: IncomingHttpHeaders | undefined;
  /** Room for all of a body whose length was said; pieces of others. */
  #whole: Buffer | undefined;
  #pieces: Buffer[] | undefined;
  #length = 0;

  constructor({ bytes, ms }: AnswerBounds, done: (answer: Answered) => void, failed: (error: Error) => void) {
    this.#most = bytes;
    this.#ms = ms;
    this.#done = done;
    this.#failed = failed;
  }

  onRequestStart(): void {
    // Nothing to do before the answer comes.
  }

  onResponseStart(
    controller: Dispatcher.DispatchController,
    status: number,
    headers: IncomingHttpHeaders,
  ): void {
    this.#timer = setTimeout(() => controller.abort(new TooSlow()), this.#ms).unref();
    this.#status = status;
    this.#headers = headers;
  }

  onResponseData(controller: Dispatcher.DispatchController, piece: Buffer): void {
    const from = this.#length;
    this.#length += piece.length;
    if (this.#length > this.#most) return void controller.abort(new TooLong());
    if (from === 0) this.#whole = this.#makeRoom(piece.length);
    if (this.#whole) piece.copy(this.#whole, from);
    else (this.#pieces ??= []).push(Buffer.from(piece));
  }

  /** Where more is to come than the first piece. */
  #makeRoom(first: number): Buffer | undefined {
    const length = Number(this.#headers?.['content-length']);
    return length > first && length <= this.#most ? Buffer.allocUnsafeSlow(length) : undefined;
  }

  onResponseEnd(): void {
    clearTimeout(this.#timer);
    this.#done({
      status: this.#status,
      headers: flat(this.#headers ?? {}),
      bytes: this.#whole?.subarray(0, this.#length) ?? (this.#pieces ? Buffer.concat(this.#pieces) : NOTHING),
    });
  }

  onResponseError(_controller: Dispatcher.DispatchController, error: Error): void {
    clearTimeout(this.#timer);
    this.#failed(error);
  }
}

/** Values that were sent several times are joined by commas. */
export function flat(headers: IncomingHttpHeaders): Record<string, string> {
  const joined: Record<string, string> = {};
  for (const [name, value] of Object.entries(headers))
    if (value !== undefined) joined[name] = Array.isArray(value) ? value.join(', ') : value;
  return joined;
}
