/** The front before what is served on this machine. */
import { hostsOf } from '../../core/hosting/bucket-view.js';
import type { Project } from '../project/open-project.js';
import { keepAuthority, type KeptAuthority } from './front-authority.js';
import type { FrontServed } from '../../server/front/front.js';

export interface FrontInput {
  readonly host: string;
  readonly port: number;
  readonly plainPort: number;
  /** Where what it stands before is served. */
  readonly bucketPort: number;
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
  const { createOrigin } = await import('../../server/front/ask-origin.js');
  const { Front, LARGEST_KEPT } = await import('../../server/front/front.js');
  const { startFrontServer } = await import('../../server/front/front-server.js');
  // A star stands for no name right below the top in all browsers, so buckets are named as well.
  const hosts = [
    ...new Set(['localhost', ...input.buckets.map((bucket) => `${bucket}.localhost`), '*.localhost', ...own]),
  ];
  const pair = await issueCertificate(authority.pair, [...hosts, '127.0.0.1', '::1']);
  const { front } = project.destination;
  const origin = createOrigin(`http://127.0.0.1:${input.bucketPort}`, LARGEST_KEPT);
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
    { host: input.host, port: input.port, plainPort: input.plainPort, ...pair },
  );
  return {
    port: server.port,
    plainPort: server.plainPort,
    authority,
    hosts,
    shared,
    async close() {
      await server.close();
      await origin.close();
    },
  };
}
