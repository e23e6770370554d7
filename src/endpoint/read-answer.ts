/** One answer of an endpoint as a browser gets it: its head, and what it takes on the wire. */
import statuses from 'statuses';
import type { Dispatcher } from 'undici';
import { basicAuthorization } from '../core/words/public-url.js';
import { tooLate } from './limits.js';

export interface WholeAnswer {
  readonly status: number;
  /** Lower-case names; of repeated ones the values joined by commas. */
  readonly headers: Readonly<Record<string, string>>;
  /** Bytes of the head. */
  readonly head: number;
  /** Bytes of the body as they are sent. */
  readonly size: number;
  /** The bytes as they are sent; undefined where there are too many to be a text. */
  readonly body: Buffer | undefined;
}

/** Longer bodies are films and archives, of which the length is enough. Bytes. */
const MOST = 16 * 2 ** 20;

export interface ReadOptions {
  readonly dispatcher: Dispatcher;
  /** Milliseconds for the whole of it. */
  readonly wholeMs: number;
  /** Content codings; those of browsers where none are said. */
  readonly accepts?: string;
  /** Bytes of the longest body that is read. */
  readonly most?: number;
}

/**
 * Asks as browsers do, compressed where the endpoint can. @param target path with its query
 * @throws the system's or undici's error when nothing answers, BeyondLimits when the answer does not end in time
 */
export function readAnswer(
  base: URL,
  target: string,
  { dispatcher, wholeMs, accepts = 'gzip, br', most = MOST }: ReadOptions,
): Promise<WholeAnswer> {
  const authorization = basicAuthorization(base);
  return new Promise((done, failed) => {
    let status = 0;
    let raw: readonly string[] = [];
    let size = 0;
    let control: Dispatcher.DispatchController | undefined;
    const pieces: Buffer[] = [];
    const timer = setTimeout(() => {
      const late = tooLate({ wholeMs, mostBytes: most });
      control?.abort(late);
      failed(late);
    }, wholeMs);
    const finish = (length: number, isWhole: boolean): void => {
      clearTimeout(timer);
      done({
        status,
        headers: joinHeaders(raw),
        head:
          `HTTP/1.1 ${status} ${statuses.message[status] ?? ''}\r\n\r\n`.length +
          raw.reduce((sum, each) => sum + each.length + 2, 0),
        size: length,
        body: isWhole ? Buffer.concat(pieces) : undefined,
      });
    };
    dispatcher.dispatch(
      {
        origin: base.origin,
        path: target,
        method: 'GET',
        headers: {
          accept: '*/*',
          'accept-encoding': accepts,
          'user-agent': 'Fenestra',
          ...(authorization === undefined ? {} : { authorization }),
        },
      },
      {
        onRequestStart: (controller) => void (control = controller),
        onResponseStart(controller, code, headers) {
          status = code;
          const list = (controller.rawHeaders ?? []) as readonly (Buffer | string)[];
          raw =
            list.length > 0
              ? list.map((each) => each.toString('latin1' as never))
              : Object.entries(headers).flatMap(([name, value]) =>
                  [value ?? ''].flat().flatMap((each) => [name, each]),
                );
        },
        onResponseData(controller, chunk) {
          size += chunk.length;
          if (size <= most) return void pieces.push(Buffer.from(chunk));
          const length = Number(joinHeaders(raw)['content-length'] ?? size);
          finish(Math.max(size, Number.isFinite(length) ? length : size), false);
          controller.abort(new Error('long enough'));
        },
        onResponseEnd: () => finish(size, true),
        onResponseError(_controller, error) {
          clearTimeout(timer);
          failed(error);
        },
      },
    );
  });
}

function joinHeaders(raw: readonly string[]): Record<string, string> {
  const joined = new Map<string, string>();
  for (let at = 0; at < raw.length; at += 2) {
    const name = (raw[at] ?? '').toLowerCase();
    const known = joined.get(name);
    joined.set(name, known === undefined ? (raw[at + 1] ?? '') : `${known}, ${raw[at + 1] ?? ''}`);
  }
  return Object.fromEntries(joined);
}
