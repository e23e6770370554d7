/** A project opened: its config, one destination of it, its store, and the survey of its site. */
import { join } from 'node:path';
import { mkdirSync, writeFileSync, existsSync } from 'node:fs';
import { parsePattern } from '../../core/assign/pattern.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { nearestWord } from '../../core/words/nearest-word.js';
import { recallConfig, rememberConfig } from '../../config/remember.js';
import { BUILD } from '../build.js';
import type { Config, Destination } from '../../config/config.js';
import { surveySite, type SurveyedSite } from '../../disk/survey-site.js';
import type { EmbeddedStore } from '../../stores/embedded/embedded-store.js';
import { readAtAGlance } from '../../stores/embedded/glance.js';
import { storeExists } from '../../stores/embedded/layout.js';
import type { BucketState, BucketStore } from '../../stores/port.js';
import type { Terminal } from '../terminal.js';

export const DEFAULT_PORT = 4680;

export interface Project {
  readonly config: Config;
  readonly destination: Destination;
  /** Public base address, with a closing slash. */
  readonly address: string;
}

/** A config that was found good before need not be parsed and validated again. */
async function readConfig(path: string): Promise<Config> {
  const known = BUILD === undefined ? undefined : recallConfig(path, BUILD);
  if (known) return known;
  const { loadConfig } = await import('../../config/load.js');
  const config = await loadConfig(path);
  if (BUILD !== undefined) rememberConfig(config, BUILD);
  return config;
}

/** @throws FenestraError CONFIG_…, DESTINATION_UNKNOWN */
export async function openProject(args: {
  readonly config: string;
  readonly to?: string | undefined;
}): Promise<Project> {
  const config = await readConfig(args.config);
  const [first] = config.destinations;
  const destination =
    args.to === undefined ? first : config.destinations.find(({ name }) => name === args.to);
  if (!destination) {
    const names = config.destinations.map(({ name }) => name);
    const near = nearestWord(args.to ?? '', names);
    throw new FenestraError('DESTINATION_UNKNOWN', {
      name: args.to ?? '',
      known: names.join(', ') + (near === undefined ? '' : `; did you mean ${near}?`),
    });
  }
  return {
    config,
    destination,
    address: destination.address ?? `http://${destination.bucket}.localhost:${DEFAULT_PORT}/`,
  };
}

/** Opens the destination's store, making it when there is none. */
export async function openStore({ config }: Project): Promise<EmbeddedStore> {
  ignoreState(config);
  // Loading the database's native part takes longer than a whole survey of a small site.
  const { EmbeddedStore } = await import('../../stores/embedded/embedded-store.js');
  return EmbeddedStore.open(config.storeFolder);
}

/** Opens the store only when there is one, so that looking changes nothing. */
export const openStoreIfThere = async (project: Project): Promise<EmbeddedStore | undefined> =>
  storeExists(project.config.storeFolder) ? openStore(project) : undefined;

/** The state of the destination's bucket, when it can be known without opening the store. */
export const glanceAtBucket = ({ config, destination }: Project): BucketState | undefined =>
  storeExists(config.storeFolder) ? readAtAGlance(config.storeFolder, destination.bucket) : undefined;

/** Opens the store, runs some work with it and closes it whatever happens. */
export async function withStore<T>(project: Project, work: (store: EmbeddedStore) => Promise<T>): Promise<T> {
  const store = await openStore(project);
  try {
    return await work(store);
  } finally {
    await store.close();
  }
}

/** A bucket's state. @throws FenestraError BUCKET_MISSING */
export async function needBucket(store: BucketStore, bucket: string): Promise<BucketState> {
  const state = await store.readBucket(bucket);
  if (state) return state;
  const near = nearestWord(
    bucket,
    (await store.listBuckets()).map(({ name }) => name),
  );
  throw new FenestraError('BUCKET_MISSING', {
    store: store.name,
    name: bucket,
    nearest: near === undefined ? '' : `; there is ${near}`,
  });
}

/** What Fenestra keeps beside the config is no part of the project's history. */
function ignoreState(config: Config): void {
  const folder = join(config.folder, '.fenestra');
  try {
    mkdirSync(folder, { recursive: true });
    const file = join(folder, '.gitignore');
    if (!existsSync(file)) writeFileSync(file, '*\n');
  } catch {
    // Only a convenience: where it cannot be written the store says so itself.
  }
}

/** Surveys the project's site with progress on the terminal, and inspects it. */
export async function surveyProject(
  { config, destination }: Project,
  terminal: Terminal,
): Promise<SurveyedSite> {
  const line = terminal.progress('Reading the site');
  const { assignments, allow } = config;
  const buckets = config.destinations.map(({ bucket }) => bucket);
  const { settings } = destination;
  try {
    return await surveySite(
      {
        site: config.site,
        links: config.links,
        assignments,
        readable: settings.readable,
        memory: join(config.folder, '.fenestra', 'survey'),
        inspectBasis: [settings, allow, buckets],
        build: BUILD ?? 'unbundled',
        inspect: async ({ objects, cascade, walked }) => {
          const { inspectSurvey } = await import('../../core/check/survey-rules.js');
          const allowed = allow.map(parsePattern);
          return inspectSurvey({
            objects,
            keys: new Set(objects.map(({ key }) => key)),
            cascade,
            assignments,
            settings,
            buckets,
            allowed: (key) => allowed.some((matches) => matches(key)),
            links: walked.links,
            now: Date.now(),
          });
        },
      },
      (done, all) => line.update(done, all),
    );
  } finally {
    line.stop();
  }
}
