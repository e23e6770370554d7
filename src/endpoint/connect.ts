/** Connections to endpoints. `*.localhost` is this machine (RFC 6761), whatever the resolver of the system says. */
import { lookup, type LookupAddress, type LookupOptions } from 'node:dns';
import { rootCertificates } from 'node:tls';
import { Pools } from '../http/pools.js';

type Callback = (
  error: NodeJS.ErrnoException | null,
  address: string | LookupAddress[],
  family?: number,
) => void;

function lookUp(hostname: string, options: LookupOptions, callback: Callback): void {
  if (hostname !== 'localhost' && !hostname.endsWith('.localhost'))
    return lookup(hostname, options, callback as never);
  if (options.all) callback(null, [{ address: '127.0.0.1', family: 4 }]);
  else callback(null, '127.0.0.1', 4);
}

export interface AgentOptions {
  readonly connections: number;
  /** Milliseconds to wait for a connection, and then for an answer's head and each part of its body. */
  readonly timeoutMs: number;
  /** Where each answer has its bounds by itself, nothing but the connection is waited for by the agent. */
  readonly boundedAnswers?: boolean | undefined;
  /** A socket of this machine that all connections are made to. */
  readonly socket?: string | undefined;
  /** Certificates, as PEM, of those that are trusted beside the ones that everybody trusts. */
  readonly ca?: string | undefined;
}

export const createAgent = ({ connections, timeoutMs, boundedAnswers, socket, ca }: AgentOptions): Pools =>
  new Pools({
    connections,
    pipelining: 1,
    connect: {
      lookup: lookUp as never,
      timeout: timeoutMs,
      ...(socket === undefined ? {} : { socketPath: socket }),
      ...(ca === undefined ? {} : { ca: [...rootCertificates, ca] }),
    },
    headersTimeout: boundedAnswers ? 0 : timeoutMs,
    bodyTimeout: boundedAnswers ? 0 : timeoutMs,
  });
