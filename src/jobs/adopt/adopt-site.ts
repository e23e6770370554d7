/** A config that reproduces a published site, and what of the site it does not. */
import { existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { hash } from 'node:crypto';
import { basename, join, relative, resolve } from 'node:path';
import { compareSeen, type SeenDifference } from '../../core/adopting/compare-seen.js';
import { learnSite, type LearnedSite } from '../../core/adopting/learn-site.js';
import { listNotOnBuckets, type NotOnBuckets } from '../../core/adopting/list-not-on-buckets.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { isPage } from '../../core/assign/defaults.js';
import { typeByName } from '../../core/assign/media-type.js';
import { assertBucketName, suggestBucketName } from '../../core/release/bucket-name.js';
import { isOwnMachine, publicUrl } from '../../core/words/public-url.js';
import { walkSite } from '../../disk/walk.js';
import { makeFolder } from '../../files/make-folder.js';
import { findBuilt, writeSchema } from '../init/start-project.js';
import { openProject, type Project } from '../project/open-project.js';
import { ignoreState } from '../project/ignore-state.js';
import type { Progress } from '../progress.js';
import { openCrawlMemory } from './crawl-memory.js';
import { crawlSite, type PassedOver } from './crawl-site.js';
import { openFetchedFolder } from './fetched-folder.js';
import { formatAdopted } from './format-adopted.js';
import { ADOPT_RATE } from './limits.js';
import { lookCloser } from './look-closer.js';
import { listMissing, listWithoutEnding, viewFolder, viewLearned } from './view-adopted.js';

export interface AdoptInput {
  /** Of the config that is to be written. */
  readonly config: string;
  readonly at: URL;
  readonly folder: string | undefined;
  readonly bucket: string | undefined;
  /** A new folder that takes what the site shows, in place of one that is there. */
  readonly fetch: string | undefined;
  /** An access log of the site, whose addresses are looked at too. */
  readonly log: string | undefined;
  readonly mine: boolean;
  readonly atMost: number;
  readonly rate: number | undefined;
  readonly answerTime: number;
  readonly ca: string | undefined;
  /** Whether types are kept as they are written there. */
  readonly typesAsSent: boolean;
  readonly askName: (proposal: string) => Promise<string>;
}

export interface Adopted {
  readonly at: string;
  /** Absolute. */
  readonly config: string;
  readonly siteAsWritten: string;
  /** Undefined where there is no folder to compare with. */
  readonly files: number | undefined;
  /** Whether they were fetched. */
  readonly isFetched: boolean;
  /** Addresses that answered, and how many of them were asked at an earlier time. */
  readonly asked: number;
  readonly remembered: number;
  readonly learned: LearnedSite;
  readonly bucket: string;
  /** What the config would have the bucket answer otherwise. */
  readonly differences: readonly SeenDifference[];
  readonly notOnBuckets: readonly NotOnBuckets[];
  /** Files that the site does not show. */
  readonly notThere: readonly string[];
  /** Objects of the site that are not in the folder. */
  readonly notHere: readonly string[];
  readonly passedOver: Readonly<Partial<Record<PassedOver, readonly string[]>>>;
  readonly byQuery: readonly string[];
}

/** Requests a second of this machine; others are asked more slowly. */
const OWN_RATE = 200;

/** @throws FenestraError CONFIG_EXISTS, USAGE, BUCKET_NAME, ENDPOINT_DEAD, SITE_… */
export async function adoptSite(input: AdoptInput, progress: Progress): Promise<Adopted> {
  const file = resolve(input.config);
  const home = resolve(file, '..');
  if (existsSync(file)) throw new FenestraError('CONFIG_EXISTS', { file: input.config });
  const at = new URL(input.at);
  at.search = at.hash = '';
  if (!at.pathname.endsWith('/')) at.pathname += '/';
  const folder = input.fetch === undefined ? findFolder(home, input.folder) : undefined;
  const files = folder === undefined ? undefined : new Map(listDigests(folder));
  const bucket =
    input.bucket ?? (await input.askName(suggestBucketName(isOwnMachine(at) ? basename(home) : at.hostname)));
  assertBucketName(bucket);
  const paths = input.log === undefined ? [] : await listLogged(input.log, input.atMost);
  makeFolder(home);
  const memory = openCrawlMemory(home, `${at.href} ${input.mine} ${input.fetch ?? ''}`);
  const fetched = input.fetch === undefined ? undefined : openFetchedFolder(input.fetch, memory.size > 0);
  const site = fetched?.path ?? folder;
  const { hostname } = at;
  const options = {
    ...input,
    at,
    keys: [...(files?.keys() ?? [])],
    paths,
    fetched,
    rate: input.rate ?? (isOwnMachine(at) ? OWN_RATE : ADOPT_RATE),
  };
  return crawlSite(options, { memory, progress }, async (crawled) => {
    const seen = {
      ...(await lookCloser(crawled, at, files ?? fetched?.files)),
      unseen: crawled.passedOver.get('robots') ?? [],
    };
    const learned = learnSite(seen, input.typesAsSent);
    const siteAsWritten = site === undefined ? 'site' : relative(home, site) || '.';
    const domain = isOwnMachine(at) || /^[\d.]+$|^\[/.test(hostname) ? undefined : hostname;
    const text = formatAdopted({ site: siteAsWritten, bucket, at: publicUrl(at).href, learned, domain });
    const project = await writeProven(file, text);
    await writeSchema(home);
    ignoreState(home);
    const { view, keys } =
      site === undefined ? viewLearned(project, learned) : await viewFolder(project, progress);
    memory.forget();
    return {
      at: publicUrl(at).href,
      config: file,
      siteAsWritten,
      files: files?.size ?? fetched?.files.size,
      isFetched: fetched !== undefined,
      asked: crawled.answers.length,
      remembered: memory.size,
      learned,
      bucket,
      differences: compareSeen([...seen.answers, ...seen.probes.wrong], seen.origin, view),
      notOnBuckets: [
        ...listNotOnBuckets(seen.answers, learned.isShared),
        ...listWithoutEnding(seen.answers, keys),
        ...learned.circles.map((of) => ({
          what: 'redirects in a circle',
          of,
          instead: 'see where they should lead',
        })),
      ],
      ...listMissing(seen, keys, learned),
      passedOver: {
        ...Object.fromEntries(crawled.passedOver),
        ...(fetched && fetched.unnamed.length > 0 ? { 'no file name': fetched.unnamed } : {}),
      },
      byQuery: crawled.byQuery,
    };
  });
}

/** @throws FenestraError USAGE */
function findFolder(home: string, folder: string | undefined): string | undefined {
  if (folder === undefined) {
    const built = findBuilt(home);
    return built === undefined ? undefined : join(home, built);
  }
  const site = resolve(folder);
  if (existsSync(site)) return site;
  throw new FenestraError('USAGE', {
    what: `There is no folder ${folder}.`,
    fix: 'Name the folder of built files, or none: then the config is made from what the site shows alone.',
  });
}

/** The paths that are asked for most often. @throws FenestraError LOG_UNREADABLE */
async function listLogged(log: string, most: number): Promise<string[]> {
  const { readLog } = await import('../cost/read-log.js');
  const { paths } = await readLog(log);
  return [...paths]
    .filter(([path]) => path.startsWith('/'))
    .sort(([, a], [, b]) => b.requests - a.requests)
    .slice(0, most)
    .map(([path]) => path);
}

/** Keys, with the digests of pages: which of them answers for a folder or for a mistake is known by its bytes. */
const listDigests = (site: string): [string, string][] =>
  walkSite(site).files.map(({ key, path, size }) => {
    const isRead = size <= MAX_PAGE && isPage(typeByName(key) ?? '');
    return [key, isRead ? hash('sha256', readFileSync(join(site, path)), 'hex') : ''];
  });
const MAX_PAGE = 8 * 2 ** 20;

/** A config that cannot be read is not left behind. */
async function writeProven(file: string, text: string): Promise<Project> {
  writeFileSync(file, text);
  try {
    const { loadConfig } = await import('../../config/index.js');
    await loadConfig(file, true);
    return await openProject({ config: file });
  } catch (error) {
    rmSync(file, { force: true });
    throw error;
  }
}
