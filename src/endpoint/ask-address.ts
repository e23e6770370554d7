/** One request for a name to an address that is said beside it. */
import { isIPv6 } from 'node:net';
import { request } from 'undici';
import { Pools } from '../http/pools.js';
import { reasonOf } from './reason-of.js';

export interface AddressAnswer {
  readonly status: number;
  /** Names in lower case. */
  readonly headers: Readonly<Record<string, string>>;
  /** Why there was no answer. */
  readonly trouble?: string;
}

/** @throws nothing: what does not answer is an answer too */
export async function askAddress(url: URL, address: string, timeoutMs: number): Promise<AddressAnswer> {
  const family = isIPv6(address) ? 6 : 4;
  const agent = new Pools({
    connect: {
      timeout: timeoutMs,
      lookup: ((_host: string, { all }: { all?: boolean }, done: (...given: unknown[]) => void) =>
        all ? done(null, [{ address, family }]) : done(null, address, family)) as never,
    },
    headersTimeout: timeoutMs,
    bodyTimeout: timeoutMs,
  });
  try {
    const { statusCode, headers, body } = await request(url, { dispatcher: agent });
    // What it says is enough; what it sends is let go of.
    body.on('error', () => undefined).destroy();
    const plain = Object.entries(headers).flatMap(([name, value]) =>
      typeof value === 'string' ? [[name, value] as const] : [],
    );
    return { status: statusCode, headers: Object.fromEntries(plain) };
  } catch (error) {
    return { status: 0, headers: {}, trouble: `nothing (${reasonOf(error)})` };
  } finally {
    await agent.destroy();
  }
}
