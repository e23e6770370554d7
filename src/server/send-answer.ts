/** Sends what the resolver has decided. Bytes go out only when they are known to be the object's. */
import type { ServerResponse } from 'node:http';
import { pipeline } from 'node:stream';
import { LRUCache } from 'lru-cache';
import { FenestraError, systemCode } from '../core/errors/catalogue.js';
import type { Answer, WebRequest } from '../core/hosting/answer.js';
import type { ByteRange } from '../core/hosting/byte-range.js';
import type { BucketView } from '../core/hosting/bucket-view.js';
import { decideFix, type Fix } from '../core/hosting/diagnose.js';
import { renderNotice } from '../core/hosting/notice-page.js';
import type { StoredObject } from '../core/site/site-object.js';
import { writeHead } from './head.js';
import type { Hosted } from './hosted.js';

export interface Sending {
  readonly hosted: Hosted;
  /** Small bodies by their digest, the least recently used given up first. */
  readonly bodies: LRUCache<string, Buffer>;
  readonly describeFix?: ((fix: Fix) => string) | undefined;
  readonly annotate: boolean;
  readonly onFailure?: ((error: unknown) => void) | undefined;
}

export interface ToSend {
  readonly web: WebRequest;
  readonly answer: Answer;
  readonly bucket: string;
  readonly view: BucketView | undefined;
}

const SMALL = 256 * 1024;
const CACHE_BYTES = 48 * 2 ** 20;

/** @param most how many; as many as there is room for where it is left out */
export const keepBodies = (bytes = CACHE_BYTES, most = 0): LRUCache<string, Buffer> =>
  new LRUCache({
    max: most,
    maxSize: bytes,
    // One body may not push out most others.
    maxEntrySize: Math.ceil(bytes / 8),
    sizeCalculation: ({ length }) => Math.max(1, length),
  });

/** @param takesOver is asked before a failure is answered, while nothing has been sent; whether it answers itself */
export function sendAnswer(
  sending: Sending,
  toSend: ToSend,
  response: ServerResponse,
  takesOver: (error: unknown) => boolean,
): void {
  const { web, answer } = toSend;
  const headers = sending.annotate
    ? [...answer.headers, 'Fenestra-Reason', annotation(answer)]
    : answer.headers;
  const { body } = answer;
  if (body.kind === 'notice') return sendNotice(sending, toSend, response, headers);
  if (body.kind === 'none' || web.method === 'HEAD') {
    writeHead(
      response,
      answer.status,
      body.kind === 'none' && answer.status !== 304 && answer.status !== 204
        ? [...headers, 'Content-Length', '0']
        : headers,
    );
    response.end();
    return;
  }
  const { object, range, parts } = body;
  const send = (bytes: Buffer): void => {
    writeHead(response, answer.status, headers);
    if (parts) response.end(joinParts(parts, bytes));
    else response.end(range ? bytes.subarray(range.start, range.end + 1) : bytes);
  };
  const kept = sending.bodies.get(object.digest);
  if (kept) return send(kept);
  const failed = (error: unknown): void => {
    if (response.headersSent || response.destroyed || !takesOver(error))
      sendFailure(sending, response, error);
  };
  if (object.size > SMALL) {
    const wanted = parts ?? [range ?? { start: 0, end: object.size - 1 }];
    const pieces = piecesOf(sending.hosted, object, wanted);
    return void sendPieces(sending, response, { status: answer.status, headers, pieces }, failed);
  }
  response.on('error', endBroken);
  sending.hosted.read(object).then((bytes) => {
    sending.bodies.set(object.digest, bytes);
    send(bytes);
  }, failed);
}

const annotation = ({ reason, because }: Answer): string =>
  (because === undefined ? reason : `${reason}; ${because}`).replace(/[^\x20-\x7e]/g, '?');

/** A client that went away while its answer was being read from disk. */
function endBroken(this: ServerResponse): void {
  this.destroy();
}

const joinParts = (parts: readonly (string | ByteRange)[], bytes: Buffer): Buffer =>
  Buffer.concat(
    parts.map((part) =>
      typeof part === 'string' ? Buffer.from(part) : bytes.subarray(part.start, part.end + 1),
    ),
  );

async function* piecesOf(
  hosted: Hosted,
  object: StoredObject,
  parts: readonly (string | ByteRange)[],
): AsyncGenerator<Uint8Array> {
  for (const part of parts) {
    if (typeof part === 'string') yield Buffer.from(part);
    else yield* hosted.pieces(object, part);
  }
}

interface InPieces {
  readonly status: number;
  readonly headers: readonly string[];
  readonly pieces: AsyncGenerator<Uint8Array>;
}

/** What cannot even begin is an answer of its own; what goes wrong later cuts the connection. */
async function sendPieces(
  { onFailure }: Sending,
  response: ServerResponse,
  { status, headers, pieces }: InPieces,
  failed: (error: unknown) => void,
): Promise<void> {
  response.on('error', endBroken);
  const close = (): void => void Promise.resolve(pieces.return(undefined)).catch(() => undefined);
  try {
    const first = await pieces.next();
    if (response.destroyed) return close();
    writeHead(response, status, headers);
    pipeline(continued(first, pieces), response, (error) => {
      // Where it never began, only this lets go of the file.
      close();
      if (error && systemCode(error) !== 'ERR_STREAM_PREMATURE_CLOSE') onFailure?.(error);
    });
  } catch (error) {
    close();
    failed(error);
  }
}

async function* continued<T>(first: IteratorResult<T>, rest: AsyncIterator<T>): AsyncGenerator<T> {
  for (let each = first; each.done !== true; each = await rest.next()) yield each.value;
}

function sendNotice(
  { describeFix }: Sending,
  { web, answer, bucket, view }: ToSend,
  response: ServerResponse,
  headers: readonly string[],
): void {
  const fix =
    describeFix &&
    decideFix(answer, {
      bucket,
      settings: view?.settings,
      release: view?.release,
      has: (key) => view?.find(key) !== undefined,
    });
  sendPage(response, answer.status, renderNotice(answer, bucket, fix && describeFix(fix)), {
    type: 'text/html',
    headers,
    head: web.method === 'HEAD',
  });
}

function sendPage(
  response: ServerResponse,
  status: number,
  text: string,
  about: { readonly type: string; readonly headers: readonly string[]; readonly head: boolean },
): void {
  const page = Buffer.from(text);
  writeHead(response, status, [
    ...about.headers,
    'Content-Type',
    `${about.type}; charset=utf-8`,
    'Content-Length',
    String(page.length),
  ]);
  response.end(about.head ? undefined : page);
}

/**
 * What cannot be sent as it was published is never sent: the answer is 500, or 503 where a later one will do, and a cut
 * connection once it has begun. What happened is for whoever runs the server: it names places on this machine.
 */
export function sendFailure({ onFailure, hosted }: Sending, response: ServerResponse, error: unknown): void {
  onFailure?.(error);
  if (response.headersSent || response.destroyed) return void response.destroy();
  const code = error instanceof FenestraError ? error.code : undefined;
  const head = response.req.method === 'HEAD';
  if (code === 'FILE_CHANGING') {
    const held =
      hosted.trouble?.() === undefined ? '' : ' The site or its config has a mistake; the log says which.';
    const text = `This file is not the one that was surveyed.${held} Load it again in a moment.\n`;
    return sendPage(response, 503, text, { type: 'text/plain', headers: ['Retry-After', '1'], head });
  }
  const text =
    code === 'BODY_DAMAGED'
      ? 'The stored bytes of this object are damaged.\n'
      : 'This cannot be served; the log of the emulation says why.\n';
  sendPage(response, 500, text, { type: 'text/plain', headers: [], head });
}
