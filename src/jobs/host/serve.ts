/** Hosting over HTTP: the buckets of a store, or the site folder as it would be published. */
import { randomUUID } from 'node:crypto';
import type { Fix } from '../../core/hosting/diagnose.js';
import { startHostServer, type HostServerOptions, type Served } from '../../server/host-server.js';
import { noteServing } from '../project/serving-note.js';
import { openStore } from '../project/open-store.js';
import type { Project } from '../project/open-project.js';
import { placesInStore } from '../project/site-place.js';
import type { Progress } from '../progress.js';
import { hostUnpublished } from './host-site.js';
import { hostStore } from './host-store.js';

export interface ServeInput {
  readonly host: string;
  /** 0 takes any free port. */
  readonly port: number;
  /** Hosts the site folder, open, and follows edits. */
  readonly unpublished: boolean;
  readonly annotate: boolean;
  /** Connections open at once. */
  readonly connections?: number;
  /** Says in words what would help, on the emulation's own pages. */
  readonly describeFix: (fix: Fix) => string;
  readonly onServed?: (served: Served) => void;
  /** Told of failures that only the server's own side can explain. */
  readonly onFailure?: (error: unknown) => void;
}

export interface Serving {
  readonly host: string;
  readonly port: number;
  /** The buckets at the start; more may come. */
  readonly buckets: readonly string[];
  /** Paths of their hosts below which buckets are served. */
  readonly places: ReadonlyMap<string, string>;
  /** Hosts the same for the front alone, as what was asked by https. */
  behindFront(connections: number): Promise<BehindFront>;
  /** Stops listening, lets what is under way finish within the grace time, then ends it. */
  close(graceMs?: number): Promise<void>;
}

/** Where the front asks. */
export interface BehindFront {
  readonly port: number;
  /** A socket of this machine in place of the port, where there are such. */
  readonly socket?: string;
  close(): Promise<void>;
}

/** The front keeps answers itself. */
const KEPT_BEHIND = { cacheBytes: 4 * 2 ** 20, cacheBodies: 64, keptRows: 1000 };
const CLOSING_MS = 500;

const behindFront =
  (options: Omit<HostServerOptions, 'socket'>, shownPort: number) =>
  async (connections: number): Promise<BehindFront> => {
    // Nobody else on this machine sees a port of it, or takes its connections.
    const socket = process.platform === 'linux' ? `\0fenestra-${randomUUID()}` : undefined;
    const server = await startHostServer({
      ...options,
      ...KEPT_BEHIND,
      host: '127.0.0.1',
      port: 0,
      socket,
      secure: true,
      shownPort,
      // All of them are the front's.
      connections: connections * 2 + 2,
    });
    return {
      port: server.port,
      ...(socket === undefined ? {} : { socket }),
      close: () => server.close(CLOSING_MS),
    };
  };

/** Whether NAME.localhost comes to it. */
const answersLocally = (host: string): boolean => /^(?:127\.0\.0\.1|0\.0\.0\.0|localhost|::1?)$/.test(host);

/** @throws FenestraError PORT_IN_USE, LISTEN_FAILED, STORE_ELSEWHERE, SITE_… */
export async function serve(project: Project, input: ServeInput, progress: Progress): Promise<Serving> {
  const { unpublished, ...rest } = input;
  const places = placesInStore(project);
  const options = { ...rest, places };
  if (unpublished) {
    const site = await hostUnpublished(project, progress);
    try {
      const hosting = { ...options, hosted: site.hosted };
      const server = await startHostServer(hosting);
      return {
        host: server.host,
        port: server.port,
        buckets: [project.destination.bucket],
        places,
        behindFront: behindFront(hosting, server.port),
        async close(graceMs) {
          await server.close(graceMs);
          await site.close();
        },
      };
    } catch (error) {
      await site.close();
      throw error;
    }
  }
  const store = await openStore(project);
  try {
    const hosting = { ...options, hosted: hostStore(store) };
    const server = await startHostServer(hosting);
    const isOwn = project.destination.store === 'here' && answersLocally(server.host);
    const takeBack = isOwn ? noteServing(project.config.storeFolder, server.port) : undefined;
    return {
      host: server.host,
      port: server.port,
      buckets: (await store.buckets()).map(({ name }) => name),
      places,
      behindFront: behindFront(hosting, server.port),
      async close(graceMs) {
        takeBack?.();
        await server.close(graceMs);
        await store.close();
      },
    };
  } catch (error) {
    await store.close();
    throw error;
  }
}
