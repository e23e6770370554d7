/** A live endpoint as browsers meet it: each address is asked once, one after the other, and what it sends is believed. */
import { setTimeout } from 'node:timers/promises';
import { FenestraError } from '../../core/errors/catalogue.js';
import { HEAD, type SiteAnswer, type VisitedSite } from '../../core/visiting/page-load.js';
import { publicUrl } from '../../core/words/public-url.js';
import { RUN_TIME } from '../check/limits.js';
import { pathInPlace } from '../project/site-place.js';
import { readText } from '../check/read-text.js';
import { createAgent, readAnswer, reasonOf, type WholeAnswer } from '../../endpoint/index.js';

export interface VisitedEndpoint extends VisitedSite {
  close(): Promise<void>;
}

export interface EndpointSettings {
  /** Seconds for an answer to be whole. */
  readonly answerTime: number;
  readonly ca: string | undefined;
}

/** Milliseconds between two requests. */
const PAUSE_MS = 20;
const TIMEOUT_MS = 10_000;
/** Of a 304 there is no sample: it has what a whole answer has, but for what describes the body. */
const OF_THE_BODY = /^(?:content-(?!location)|transfer-encoding|accept-ranges)/;

/** @throws FenestraError ENDPOINT_DEAD where it does not answer */
export function visitEndpoint(at: URL, { answerTime, ca }: EndpointSettings): VisitedEndpoint {
  const agent = createAgent({ connections: 1, timeoutMs: TIMEOUT_MS, ca });
  const texts = new Map<string, WholeAnswer>();
  const heads = new Map<string, Uint8Array>();
  const ends = performance.now() + RUN_TIME * 1000;
  return {
    async ask(url) {
      const { host, pathname, search } = new URL(url);
      if (host !== at.host) return undefined;
      await setTimeout(PAUSE_MS);
      if (performance.now() > ends)
        throw new FenestraError('ENDPOINT_DEAD', {
          url: publicUrl(at).href,
          reason: 'the time for the whole visit was over',
        });
      const answer = await readAnswer(at, pathname + search, {
        dispatcher: agent,
        wholeMs: answerTime * 1000,
      }).catch((error: unknown) => {
        throw new FenestraError('ENDPOINT_DEAD', { url: publicUrl(at).href, reason: reasonOf(error) }, error);
      });
      if (/html|css|script/.test(answer.headers['content-type'] ?? '')) texts.set(url, answer);
      else if (answer.body && /image|octet/.test(answer.headers['content-type'] ?? ''))
        heads.set(url, Uint8Array.from(answer.body.subarray(0, HEAD)));
      return toAnswer(answer, pathInPlace(pathname, at.pathname) ?? pathname);
    },
    head: (url) => Promise.resolve(heads.get(url)),
    text: (url) => {
      const known = texts.get(url);
      return Promise.resolve(known?.body && readText({ headers: labelsOf(known) }, known.body));
    },
    close: () => agent.destroy(),
  };
}

/** What says how its bytes become a text, spelled as the labels of objects are. */
function labelsOf({ headers }: WholeAnswer): Record<string, string> {
  const { 'content-type': type, 'content-encoding': encoding } = headers;
  return {
    ...(type === undefined ? {} : { 'Content-Type': type }),
    ...(encoding === undefined || encoding === 'identity'
      ? {}
      : { 'Content-Encoding': encoding.trim().toLowerCase() }),
  };
}

function toAnswer({ status, headers, head, size }: WholeAnswer, path: string): SiteAnswer {
  const { date: _date, ...kept } = headers;
  const left = Object.entries(headers).filter(([name]) => OF_THE_BODY.test(name));
  const confirmedHead =
    head -
    left.reduce((sum, [name, value]) => sum + name.length + value.length + 4, 0) +
    'Not Modified'.length -
    'OK'.length;
  return {
    status,
    headers: kept,
    head,
    confirmedHead,
    size,
    ...(status === 200 ? { key: keyOf(path) } : {}),
  };
}

function keyOf(path: string): string {
  try {
    return decodeURIComponent(path.slice(1));
  } catch {
    return path.slice(1);
  }
}
