/** A config that reproduces a published site, and what of the site it does not. */
import { existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { hash } from 'node:crypto';
import { basename, join, relative, resolve } from 'node:path';
import { compareSeen, type SeenDifference } from '../../core/adopting/compare-seen.js';
import {
  keyOf,
  learnSite,
  type LearnedSite,
  type Probes,
  type SeenSite,
} from '../../core/adopting/learn-site.js';
import { listMovedFolders, listMoves, targetOf, type MovedFolder } from '../../core/adopting/learn-moved.js';
import { listNotOnBuckets, type NotOnBuckets } from '../../core/adopting/list-not-on-buckets.js';
import { isRedirect, type SeenAnswer } from '../../core/adopting/seen.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { lookUpIn } from '../../core/hosting/find-in.js';
import type { BucketView } from '../../core/hosting/bucket-view.js';
import { createCascade } from '../../core/assign/cascade.js';
import { isPage } from '../../core/assign/defaults.js';
import { typeByName } from '../../core/assign/media-type.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { INDEX_NAMES } from '../../core/site/document-names.js';
import { assertBucketName, suggestBucketName } from '../../core/release/bucket-name.js';
import { isOwnMachine, publicUrl } from '../../core/words/public-url.js';
import { walkSite } from '../../disk/walk.js';
import { makeFolder } from '../../files/make-folder.js';
import { viewSite } from '../host/view-site.js';
import { findBuilt, writeSchema } from '../init/start-project.js';
import { openProject, type Project } from '../project/open-project.js';
import { ignoreState } from '../project/ignore-state.js';
import type { Progress } from '../progress.js';
import { surveyProject } from '../survey/survey-project.js';
import { openCrawlMemory } from './crawl-memory.js';
import { crawlSite, type Crawled, type PassedOver } from './crawl-site.js';
import { openFetchedFolder } from './fetched-folder.js';
import { formatAdopted } from './format-adopted.js';
import { ADOPT_RATE } from './limits.js';

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

/** Asks for addresses that are made up, so that what a host does by itself is known. */
async function lookCloser(
  { answers, ask }: Crawled,
  at: URL,
  files: ReadonlyMap<string, string> | undefined,
): Promise<SeenSite> {
  const { origin } = at;
  const taken = new Set(answers.map(({ path }) => path));
  let name = 'fenestra-looks-for-nothing';
  while (taken.has(`/${name}`)) name += '-';
  const home = answers.find(({ path }) => path === '/');
  const named: SeenAnswer[] = [];
  for (const each of home?.status === 200 ? INDEX_NAMES : []) {
    if (taken.has(`/${each}`)) continue;
    const answer = await ask(`/${each}`);
    if (answer?.status !== 200) continue;
    named.push(answer);
    if (answer.digest === home?.digest) break;
  }
  const folders = answers
    .filter(({ path, status }) => status === 200 && path.endsWith('/') && path !== '/')
    .slice(0, 3);
  const wrong = await askAll(ask, [`/${name}`, `/${name}.html`, `${folders[0]?.path ?? '/'}${name}.html`]);
  const bare = await askAll(
    ask,
    folders.map(({ path }) => `${path.slice(0, -1)}?a=1`),
  );
  const movedFolders: MovedFolder[] = [];
  for (const folder of listMovedFolders(listMoves(answers, origin)).slice(0, 100)) {
    const [answer] = await askAll(ask, [encodeURI(folder.from.slice(0, -1)) + name]);
    if (answer && isRedirect(answer) && targetOf(answer, origin) === encodeURI(folder.to.slice(0, -1)) + name)
      movedFolders.push(folder);
  }
  const probes: Probes = { wrong, bare, movedFolders };
  const all = [...answers, ...named.filter(({ digest }) => digest === home?.digest)];
  return { origin, answers: all, probes, ...(files ? { files } : {}) };
}

async function askAll(ask: Crawled['ask'], targets: readonly string[]): Promise<SeenAnswer[]> {
  const found: SeenAnswer[] = [];
  for (const target of targets) {
    const answer = await ask(target);
    if (answer) found.push(answer);
  }
  return found;
}

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

interface Viewed {
  readonly view: BucketView;
  readonly keys: ReadonlySet<string>;
}

async function viewFolder(project: Project, progress: Progress): Promise<Viewed> {
  const survey = await surveyProject(project, progress);
  const { bucket, settings } = project.destination;
  const { view, objects } = viewSite(survey, bucket, settings, Date.now());
  return { view, keys: new Set(objects.map(({ key }) => key)) };
}

/** The objects that the site shows, with what the config gives them. */
function viewLearned({ config, destination }: Project, { objects }: LearnedSite): Viewed {
  const cascade = createCascade(config.assignments);
  const stored = objects.map(({ key, answer }): StoredObject => {
    const { headers } = cascade.decide(key, answer.isUtf8);
    return { key, headers, size: answer.size, digest: answer.digest, since: Date.now() };
  });
  const { bucket, settings } = destination;
  return {
    keys: new Set(objects.map(({ key }) => key)),
    view: { name: bucket, access: 'open', release: 0, settings, ...lookUpIn(stored) },
  };
}

/** Addresses that leave out the ending of their file. */
function listWithoutEnding(answers: readonly SeenAnswer[], keys: ReadonlySet<string>): NotOnBuckets[] {
  const of = answers.flatMap(({ path, status }) => {
    const key = status === 200 && !path.endsWith('/') ? keyOf(path, '') : undefined;
    return key !== undefined && !keys.has(key) && keys.has(`${key}.html`) ? [path] : [];
  });
  const instead = 'publish visit.html as visit/index.html, and link to /visit/';
  return of.length === 0 ? [] : [{ what: 'addresses without the ending of their file', of, instead }];
}

function listMissing(
  { answers, files }: SeenSite,
  keys: ReadonlySet<string>,
  { index }: LearnedSite,
): Pick<Adopted, 'notThere' | 'notHere'> {
  if (!files) return { notThere: [], notHere: [] };
  const shown = new Set<string>();
  const gone = new Set<string>();
  for (const { path, status } of answers) {
    const key = keyOf(path, index);
    if (key === undefined) continue;
    if (status === 200) shown.add(key);
    else if (status === 404 || status === 410) gone.add(key);
  }
  return {
    notThere: [...gone].filter((key) => keys.has(key) && !shown.has(key)).sort(),
    notHere: [...shown].filter((key) => !files.has(key)).sort(),
  };
}
