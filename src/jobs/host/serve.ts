/** Hosting over HTTP: the buckets of a store, or the site folder as it would be published. */
import type { Fix } from '../../core/hosting/diagnose.js';
import { startHostServer, type Served } from '../../server/host-server.js';
import { openStore } from '../project/open-store.js';
import type { Project } from '../project/open-project.js';
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
  /** Stops listening, lets what is under way finish within the grace time, then ends it. */
  close(graceMs?: number): Promise<void>;
}

/** @throws FenestraError PORT_IN_USE, LISTEN_FAILED, STORE_ELSEWHERE, SITE_… */
export async function serve(project: Project, input: ServeInput, progress: Progress): Promise<Serving> {
  const { unpublished, ...options } = input;
  if (unpublished) {
    const site = await hostUnpublished(project, progress);
    try {
      const server = await startHostServer({ ...options, hosted: site.hosted });
      return {
        host: server.host,
        port: server.port,
        buckets: [project.destination.bucket],
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
    const server = await startHostServer({ ...options, hosted: hostStore(store) });
    return {
      host: server.host,
      port: server.port,
      buckets: (await store.buckets()).map(({ name }) => name),
      async close(graceMs) {
        await server.close(graceMs);
        await store.close();
      },
    };
  } catch (error) {
    await store.close();
    throw error;
  }
}
