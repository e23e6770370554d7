/** What an endpoint is reached through: its certificate, one answer by https, one by plain http. */
import { connect, rootCertificates } from 'node:tls';
import { request, type Dispatcher } from 'undici';
import { createAgent } from './connect.js';
import { reasonOf } from './reason-of.js';

export interface FrontLook {
  /** When its certificate ends: milliseconds since the epoch; undefined where it was not seen. */
  readonly certificateUntil?: number;
  readonly secure?: { readonly status: number; readonly headers: Readonly<Record<string, string>> };
  /** Undefined where the port of https is not the usual one, so that nobody knows where plain http would be. */
  readonly plain?: { readonly status: number; readonly location?: string } | { readonly trouble: string };
}

const TIMEOUT_MS = 10_000;

/** @param at an https address @param ca as PEM, trusted beside the usual ones */
export async function lookAtFront(at: URL, ca: string | undefined): Promise<FrontLook> {
  const agent = createAgent({ connections: 2, timeoutMs: TIMEOUT_MS, ca });
  try {
    const [certificateUntil, secure, plain] = await Promise.all([
      readCertificate(at, ca),
      ask(at, agent),
      at.port === '' ? ask(new URL(`http://${at.hostname}${at.pathname}`), agent) : undefined,
    ]);
    return {
      ...(certificateUntil === undefined ? {} : { certificateUntil }),
      ...('trouble' in secure ? {} : { secure }),
      ...(plain === undefined
        ? {}
        : {
            plain:
              'trouble' in plain
                ? plain
                : {
                    status: plain.status,
                    ...(plain.headers['location'] === undefined
                      ? {}
                      : { location: plain.headers['location'] }),
                  },
          }),
    };
  } finally {
    await agent.destroy();
  }
}

async function ask(
  url: URL,
  dispatcher: Dispatcher,
): Promise<{ status: number; headers: Record<string, string> } | { trouble: string }> {
  try {
    const { statusCode, headers, body } = await request(url, { dispatcher });
    body.on('error', () => undefined).destroy();
    return {
      status: statusCode,
      headers: Object.fromEntries(
        Object.entries(headers).flatMap(([name, value]) =>
          value === undefined ? [] : [[name, String(value)]],
        ),
      ),
    };
  } catch (error) {
    return { trouble: reasonOf(error) };
  }
}

/** Of names and chain the probes speak, which are refused without them. */
function readCertificate(at: URL, ca: string | undefined): Promise<number | undefined> {
  return new Promise((done) => {
    const local = at.hostname === 'localhost' || at.hostname.endsWith('.localhost');
    const socket = connect({
      host: local ? '127.0.0.1' : at.hostname.replace(/^\[|\]$/g, ''),
      port: Number(at.port || 443),
      servername: at.hostname,
      ca: ca === undefined ? [...rootCertificates] : [...rootCertificates, ca],
      rejectUnauthorized: false,
      timeout: TIMEOUT_MS,
    });
    const end = (until: number | undefined): void => {
      socket.destroy();
      done(until);
    };
    socket.on('secureConnect', () => {
      const until = Date.parse(socket.getPeerCertificate().valid_to);
      end(Number.isNaN(until) ? undefined : until);
    });
    socket.on('error', () => end(undefined)).on('timeout', () => end(undefined));
  });
}
