/** A place beside another destination: every address is asked of both. */
import { endpointOfBucket } from '../project/site-place.js';
import pMap from 'p-map';
import { comparePlaces, listAddresses } from '../../core/check/compare-places.js';
import type { CheckOutcome } from '../../core/check/outcome.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { lookUpIn } from '../../core/hosting/find-in.js';
import { packObjects } from '../../core/site/object-columns.js';
import type { BucketView } from '../../core/hosting/bucket-view.js';
import { resolve } from '../../core/hosting/resolve.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { publicUrl } from '../../core/words/public-url.js';
import { startHostServer } from '../../server/host-server.js';
import { hostRelease, openView, type ReadObject } from '../host/host-release.js';
import { openProject, type Project } from '../project/open-project.js';
import { addressOf, withStoreThere } from '../project/open-store.js';
import type { Progress } from '../progress.js';
import { ANSWER_TIME } from './limits.js';
import { sampleOf, type ProbeSettings } from './probe-release.js';

export type Against = NonNullable<CheckOutcome['against']>;

export interface ComparedEndpoint {
  readonly view: BucketView;
  readonly objects: readonly StoredObject[];
}

const TIMEOUT_MS = 10_000;

/**
 * @param here the release that `at` is to answer with @param name of the other destination
 * @throws FenestraError DESTINATION_UNKNOWN, BUCKET_MISSING, NOTHING_PUBLISHED, ENDPOINT_DEAD
 */
export async function checkAgainst(
  project: Project,
  here: ComparedEndpoint & { readonly at: URL },
  name: string,
  settings: ProbeSettings,
  progress: Progress,
): Promise<Against> {
  const other = await openProject({ config: project.config.file, to: name });
  return withStoreThere(other, async (store) => {
    const { bucket } = other.destination;
    const snapshot = await store.open(bucket);
    try {
      if (snapshot.state.release === 0) throw new FenestraError('NOTHING_PUBLISHED', { bucket });
      const objects: StoredObject[] = [];
      for await (const object of snapshot.objects()) if (!object.waits) objects.push(object);
      const view = openView({ ...snapshot.state, ...lookUpIn(objects) });
      const there = { view, objects };
      if (!store.guarantees.instant) {
        const at = endpointOfBucket(new URL(await addressOf(other, store)), other);
        return await compare({ here, there: { ...there, at }, name, settings, progress });
      }
      return await emulated(
        there,
        (object, range) => snapshot.read(object, range),
        (at) => compare({ here, there: { ...there, at }, name, settings, progress }),
      );
    } finally {
      await snapshot.close();
    }
  });
}

/** What lies on this machine is asked of our own emulation, started for this and ended after it. */
export async function emulated<T>(
  { view, objects }: ComparedEndpoint,
  read: ReadObject,
  work: (at: URL) => Promise<T>,
): Promise<T> {
  const hosted = hostRelease(view, packObjects(objects), read);
  const server = await startHostServer({ hosted, host: '127.0.0.1', port: 0 });
  try {
    return await work(new URL(`http://${view.name}.localhost:${server.port}/`));
  } finally {
    await server.close(500);
  }
}

interface Comparing {
  readonly here: ComparedEndpoint & { readonly at: URL };
  readonly there: ComparedEndpoint & { readonly at: URL };
  readonly name: string;
  readonly settings: ProbeSettings;
  readonly progress: Progress;
}

async function compare({ here, there, name, settings, progress }: Comparing): Promise<Against> {
  const { askEndpoint, createAgent, limitsFor, reasonOf } = await import('../../endpoint/index.js');
  const { concurrency, ca, answerTime = ANSWER_TIME, rate } = settings;
  const targets = listAddresses(
    [here, there].map(({ view, objects }) => ({
      view,
      objects: sampleOf(view, objects, settings.all).objects,
    })),
  );
  const agent = createAgent({ connections: concurrency, timeoutMs: TIMEOUT_MS, ca });
  const ask = async (at: URL, { view }: ComparedEndpoint, target: string) => {
    const web = { method: 'GET', target, headers: {} };
    const { body } = resolve(web, view);
    const size = body.kind === 'object' ? body.object.size : 0;
    try {
      return await askEndpoint(at, web, agent, { limits: limitsFor(answerTime * 1000, size) });
    } catch (error) {
      throw new FenestraError('ENDPOINT_DEAD', { url: publicUrl(at).href, reason: reasonOf(error) }, error);
    }
  };
  progress.step('probe', { objects: targets.length });
  let done = 0;
  const began = performance.now();
  try {
    const found = await pMap(
      targets,
      async (target, number) => {
        // A place elsewhere is asked no faster than it may be.
        const due = rate === undefined ? 0 : (number / rate) * 1000 - (performance.now() - began);
        if (due > 0) await new Promise((go) => setTimeout(go, due));
        const [one, other] = await Promise.all([ask(here.at, here, target), ask(there.at, there, target)]);
        progress.advance(0, ++done);
        return comparePlaces(
          target,
          { observed: one, view: here.view, at: here.at },
          { observed: other, view: there.view, at: there.at },
        );
      },
      { concurrency },
    );
    return {
      name,
      bucket: there.view.name,
      release: there.view.release,
      at: publicUrl(here.at).href,
      thereAt: publicUrl(there.at).href,
      asked: targets.length,
      differences: found.flat(),
    };
  } finally {
    await agent.destroy();
  }
}
