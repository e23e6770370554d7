/** What a live endpoint really sends for the address that was traced. */
import { isOfMoment } from '../../core/caching/request-fields.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { headerOf, type WebRequest } from '../../core/hosting/answer.js';
import { ANSWER_TIME } from '../check/limits.js';
import { publicUrl } from '../../core/words/public-url.js';
import type { Trace } from '../../core/hosting/trace.js';

export interface LiveHeader {
  readonly name: string;
  readonly expected: string | undefined;
  readonly observed: string | undefined;
}

export interface LiveAnswer {
  /** The host that was asked. */
  readonly at: string;
  readonly status: number;
  readonly headers: readonly LiveHeader[];
  /** Undefined where no whole object was expected. */
  readonly sameBytes: boolean | undefined;
}

const TIMEOUT_MS = 10_000;

export interface LiveSettings {
  /** Seconds for a small answer to be whole; a large object has more by its size. */
  readonly answerTime?: number | undefined;
  /** Certificates, as PEM, of those that are trusted beside the ones that everybody trusts. */
  readonly ca?: string | undefined;
}

/** @throws FenestraError ENDPOINT_DEAD */
export async function askLive(
  at: URL,
  request: WebRequest,
  { answer }: Trace,
  { answerTime = ANSWER_TIME, ca }: LiveSettings = {},
): Promise<LiveAnswer> {
  const { askEndpoint, createAgent, limitsFor, reasonOf } = await import('../../endpoint/index.js');
  const agent = createAgent({ connections: 1, timeoutMs: TIMEOUT_MS, ca });
  try {
    const size = answer.body.kind === 'object' ? answer.body.object.size : 0;
    const limits = limitsFor(answerTime * 1000, size);
    const observed = await askEndpoint(at, request, agent, { limits }).catch((error: unknown) => {
      throw new FenestraError('ENDPOINT_DEAD', { url: publicUrl(at).href, reason: reasonOf(error) }, error);
    });
    const expected = answer.headers.filter((_, index) => index % 2 === 0);
    const got = (name: string): string | undefined => {
      const value = observed.headers[name.toLowerCase()];
      return Array.isArray(value) ? value.join(', ') : value;
    };
    const others = Object.keys(observed.headers).filter(
      (name) => !expected.some((each) => each.toLowerCase() === name) && !isOfMoment(name),
    );
    const headers = [...expected, ...others].map((name) => ({
      name,
      expected: headerOf(answer.headers, name),
      observed: got(name),
    }));
    const { body } = answer;
    const whole = body.kind === 'object' && !body.range && !body.parts && request.method === 'GET';
    return {
      at: at.host,
      status: observed.status,
      headers,
      sameBytes: whole ? observed.digest === body.object.digest : undefined,
    };
  } finally {
    await agent.destroy();
  }
}
