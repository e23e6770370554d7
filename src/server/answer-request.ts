/** Answers requests by the resolver: finds the bucket, resolves, sends. */
import type { IncomingMessage } from 'node:http';
import type { Answer, WebRequest } from '../core/hosting/answer.js';
import { answerBelow, answerOutside, targetBelow } from '../core/hosting/below-path.js';
import type { BucketView } from '../core/hosting/bucket-view.js';
import type { Fix } from '../core/hosting/diagnose.js';
import { resolveHost } from '../core/hosting/host.js';
import { FenestraError } from '../core/errors/catalogue.js';
import type { OrderedResponse } from './connections.js';
import { answerFront } from './front-page.js';
import type { Hosted } from './hosted.js';
import { sendAnswer, sendFailure, type Sending } from './send-answer.js';
import { tellWatcher, AccessLogEntry, type Served } from './served.js';
import { ViewCache } from './view-cache.js';

export interface AnswerOptions {
  readonly hosted: Hosted;
  /** Says in words what would help, on the emulation's own pages. */
  readonly describeFix?: (fix: Fix) => string;
  /** Objects of a bucket of which is kept what was worked out of them, unless told otherwise. */
  readonly keptRows?: number;
  /** Whether what it is asked came by https to whoever asks. */
  readonly secure?: boolean;
  /** The port that its page of buckets speaks of, where it is not its own. */
  readonly shownPort?: number;
  /** Paths, with their closing slash, below which buckets are served; those that are not named are at the root. */
  readonly places?: ReadonlyMap<string, string>;
  /** Adds a header that names the reason. */
  readonly annotate?: boolean;
  readonly onServed?: (served: Served) => void;
  /** Told of failures that only the server's own side can explain. */
  readonly onFailure?: (error: unknown) => void;
}

/** @param port where the server listens */
export function createHandler(
  options: AnswerOptions,
  sending: Sending,
  port: () => number,
): (request: IncomingMessage, response: OrderedResponse) => void {
  const { hosted, onServed, secure = false } = options;
  const views = new ViewCache(hosted, options.keptRows);

  const answer = (request: IncomingMessage, response: OrderedResponse, isLast: boolean): void => {
    const began = onServed ? performance.now() : 0;
    const at = Date.now();
    const web: WebRequest = {
      method: request.method ?? 'GET',
      target: request.url ?? '/',
      headers: request.headers,
      at,
      ...(secure ? { secure } : {}),
    };
    views.look(at);
    const verdict = views.resolveHost(hostOf(request), resolveHost);
    if (verdict.kind === 'front')
      return answerFront(request, response, views, {
        port: options.shownPort ?? port(),
        places: options.places,
        trouble: hosted.trouble?.(),
      });
    const resolved =
      verdict.kind === 'bucket' ? answerInPlace(views, verdict.name, web, options.places) : undefined;
    const view = resolved?.view;
    const result: Answer = resolved?.answer ?? {
      status: 404,
      headers: [],
      body: { kind: 'notice' },
      reason: 'no-bucket',
      because: verdict.kind === 'unknown' ? verdict.because : 'the bucket is gone',
    };
    const bucket = view?.name ?? '-';
    sendAnswer(sending, { web, answer: result, bucket, view }, response, (error) => {
      const stale = error instanceof FenestraError && error.code === 'FILE_CHANGING';
      if (!stale || isLast || !hosted.catchUp) return false;
      // What was resolved is of a file that is another one by now.
      void hosted.catchUp().then(
        () => {
          if (response.destroyed) return;
          views.lookAgain();
          begin(request, response, true);
        },
        (failure: unknown) => sendFailure(sending, response, failure),
      );
      return true;
    });
    if (onServed && !response.logEntry) {
      response.logEntry = new AccessLogEntry(
        onServed,
        web,
        request.headers.host ?? '',
        result,
        bucket,
        began,
      );
      response.on('close', tellWatcher);
    }
  };
  const begin = (request: IncomingMessage, response: OrderedResponse, isLast: boolean): void => {
    try {
      answer(request, response, isLast);
    } catch (error) {
      sendFailure(sending, response, error);
    }
  };
  return (request, response) => {
    if (response.isItsTurn) begin(request, response, false);
    else response.waitForTurn(request, () => begin(request, response, false));
  };
}

/** @param places below which buckets are served */
function answerInPlace(
  views: ViewCache,
  bucket: string,
  web: WebRequest,
  places: AnswerOptions['places'],
): { readonly view: BucketView; readonly answer: Answer } | undefined {
  const place = places?.get(bucket);
  if (place === undefined) return views.answer(bucket, web);
  const target = targetBelow(web.target, place);
  if (target === undefined) {
    const view = views.view(bucket);
    return view && { view, answer: answerOutside(web.target, place, view) };
  }
  const resolved = views.answer(bucket, { ...web, target });
  return resolved && { view: resolved.view, answer: answerBelow(resolved.answer, web, place) };
}

/** The authority of an absolute-form target counts before the Host field (RFC 9112 section 3.2.2). */
const hostOf = ({ url = '', headers }: IncomingMessage): string | undefined =>
  (url.startsWith('/') ? undefined : /^https?:\/\/([^/?#]*)/i.exec(url)?.[1]) ?? headers.host;
