/** The front before what is served on this machine. */
import { hostsOf } from '../../core/hosting/bucket-view.js';
import type { Project } from '../project/open-project.js';
import { keepAuthority, type KeptAuthority } from './front-authority.js';
import type { Serving } from './serve.js';
import type { FrontServed } from '../../server/front/front.js';

export interface FrontInput {
  readonly host: string;
  readonly port: number;
  readonly plainPort: number;
  /** Serves what it stands before. */
  readonly behindFront: Serving['behindFront'];
  /** Connections open at once. */
  readonly connections?: number | undefined;
  readonly buckets: readonly string[];
  readonly onServed?: ((served: FrontServed) => void) | undefined;
}

export interface ServingFront {
  readonly port: number;
  readonly plainPort: number;
  readonly authority: KeptAuthority;
  /** Host names that its certificate is for. */
  readonly hosts: readonly string[];
  readonly shared: boolean;
  close(): Promise<void>;
}

/** Every host that the config speaks of. */
export const frontHosts = ({ config }: Pick<Project, 'config'>): string[] => [
  ...new Set(config.destinations.flatMap(({ settings }) => hostsOf(settings))),
];

/** @throws FenestraError PORT_IN_USE, LISTEN_FAILED, AUTHORITY_UNWRITABLE */
export async function serveFront(project: Project, input: FrontInput): Promise<ServingFront> {
  const own = frontHosts(project);
  const authority = await keepAuthority(own);
  const { issueCertificate } = await import('../../server/front/authority.js');
  const { createOrigin, ORIGIN_CONNECTIONS } = await import('../../server/front/ask-origin.js');
  const { Front } = await import('../../server/front/front.js');
  const { startFrontServer } = await import('../../server/front/front-server.js');
  // A star stands for no name right below the top in all browsers, so buckets are named as well.
  const hosts = [
    ...new Set(['localhost', ...input.buckets.map((bucket) => `${bucket}.localhost`), '*.localhost', ...own]),
  ];
  const pair = await issueCertificate(authority.pair, [...hosts, '127.0.0.1', '::1']);
  const { front } = project.destination;
  const behind = await input.behindFront(ORIGIN_CONNECTIONS);
  const origin = createOrigin(`http://127.0.0.1:${behind.port}`, behind.socket);
  const shared = front?.shared ?? true;
  const secureOnly = front?.secureOnly ?? 0;
  const server = await startFrontServer(
    new Front({
      origin,
      shared,
      secureOnly,
      // A browser would keep it for names under localhost for as long, and other programs serve there plainly.
      secureHosts: new Set(own),
      onServed: input.onServed,
    }),
    {
      host: input.host,
      port: input.port,
      plainPort: input.plainPort,
      connections: input.connections,
      ...pair,
    },
  ).catch(async (error: unknown) => {
    await origin.close();
    await behind.close();
    throw error;
  });
  return {
    port: server.port,
    plainPort: server.plainPort,
    authority,
    hosts,
    shared,
    async close() {
      await server.close();
      await origin.close();
      await behind.close();
    },
  };
}
