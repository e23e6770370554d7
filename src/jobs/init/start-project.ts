/** Adopting a folder of built files, or starting a small site, with a config that says what can be seen. */
import { STORE_KINDS } from '../../stores/kinds.js';
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { basename, join, relative, resolve } from 'node:path';
import { matchesRange, typeByName } from '../../core/assign/media-type.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { assertBucketName, suggestBucketName } from '../../core/release/bucket-name.js';
import { findErrorPage, findIndex } from '../../core/site/document-names.js';
import { quoteWord } from '../../core/words/command-line.js';
import { walkSite } from '../../disk/walk.js';
import { ignoreState } from '../project/ignore-state.js';
import { STARTER_FILES } from './starter-site.js';
import { proposeVersioned } from '../../core/versioning/propose-versioned.js';
import type { SecondVisit } from './second-visit.js';
import { makeFolder } from '../../files/make-folder.js';

/** Where site builders usually put what they build, the likeliest first. */
const BUILT = ['site', 'dist', 'public', 'build', '_site', 'out', 'www', 'html'];

/** The folder of built files, relative to where the config is; undefined where none holds pages. */
export const findBuilt = (home: string): string | undefined =>
  BUILT.find((name) => holdsPages(join(home, name))) ?? (holdsPages(home) ? '.' : undefined);

export interface StartInput {
  /** Of the config that is to be written. */
  readonly config: string;
  readonly folder: string | undefined;
  readonly bucket: string | undefined;
  /** Starts a small site although there are pages. */
  readonly anew: boolean;
  /** Asks for the bucket's name, with a proposal. */
  readonly askName: (proposal: string) => Promise<string>;
  /** Asks whether to give what pages load versioned names. */
  readonly askVersioned?: (proposal: VersionedProposal) => Promise<boolean>;
  /** Asks which addresses an application answers itself, with a proposal. */
  readonly askAppPaths?: (proposal: string) => Promise<string>;
}

/** Names with a hash for what pages load. */
export interface VersionedProposal {
  readonly patterns: readonly string[];
  /** Undefined where the home page cannot be read. */
  readonly saves?: SecondVisit;
}

export interface Started {
  /** Absolute. */
  readonly config: string;
  readonly site: string;
  /** As the config says it. */
  readonly siteAsWritten: string;
  readonly adopted: boolean;
  /** What a new site was made of. */
  readonly made: readonly string[];
  readonly keys: readonly string[];
  readonly bucket: string;
  readonly index: string;
  readonly error: string | undefined;
  /** The addresses that an application of one page answers itself, where it is one. */
  readonly appPaths?: readonly string[];
  /** Where some would gain by them: what was proposed, and whether the config has it. */
  readonly versioned?: VersionedProposal & { readonly isTaken: boolean };
}

/** @throws FenestraError CONFIG_EXISTS, BUCKET_NAME, SITE_… */
export async function startProject(input: StartInput): Promise<Started> {
  const file = resolve(input.config);
  const home = resolve(file, '..');
  if (existsSync(file)) throw new FenestraError('CONFIG_EXISTS', { file: input.config });
  if (input.bucket !== undefined) assertBucketName(input.bucket);
  const chosen = input.folder ?? findBuilt(home) ?? 'site';
  const site = resolve(input.folder === undefined ? home : process.cwd(), chosen);
  if (input.folder !== undefined && !existsSync(site))
    throw new FenestraError('USAGE', {
      what: `There is no folder ${input.folder}.`,
      fix: 'Name the folder of built files, or none: then a small site is started in site/.',
    });
  const elsewhere = input.folder === undefined && !input.anew && !existsSync(site) ? findPages(home) : [];
  const [first] = elsewhere;
  if (first !== undefined)
    throw new FenestraError('CONFIRMATION_NEEDED', {
      question: `Pages lie in ${elsewhere.map((name) => `${name}/`).join(', ')}: is that the site?`,
      option: `\`fenestra init ${quoteWord(first)}\` adopts it, \`fenestra init --anew\` starts another in site/`,
    });
  const adopted = existsSync(site) && walkSite(site).files.length > 0;
  const bucket = input.bucket ?? (await input.askName(suggestBucketName(basename(home))));
  assertBucketName(bucket);
  const made = adopted ? [] : startSite(site);
  try {
    return await writeProject({ file, home, site, adopted, made, bucket, input });
  } catch (error) {
    // What was begun is taken back, so that the next start finds what this one found.
    for (const name of made) rmSync(join(site, name), { force: true });
    rmSync(file, { force: true });
    throw error;
  }
}

async function writeProject(begun: {
  readonly file: string;
  readonly home: string;
  readonly site: string;
  readonly adopted: boolean;
  readonly made: readonly string[];
  readonly bucket: string;
  readonly input: StartInput;
}): Promise<Started> {
  const { file, home, site, adopted, made, bucket, input } = begun;
  const keys = walkSite(site).files.map(({ key }) => key);
  const index = findIndex(keys) ?? 'index.html';
  const error = findErrorPage(keys);
  const siteAsWritten = relative(home, site) || '.';
  const appPaths = adopted ? await proposeAppPaths(site, keys, index, input) : [];
  const versioned = adopted ? await proposeNames(keys, join(site, index), input.askVersioned) : undefined;
  const { formatNewConfig } = await import('./new-config.js');
  makeFolder(home);
  writeFileSync(
    file,
    formatNewConfig({
      site: siteAsWritten,
      bucket,
      index,
      error,
      appPaths,
      drafts: keys.some((key) => key.startsWith('drafts/')),
      versioned,
      pictures: keys.some((key) => matchesRange('image/*', typeByName(key) ?? '')),
    }),
  );
  await writeSchema(home);
  ignoreState(home);
  const started = { config: file, site, siteAsWritten, adopted, made, keys, bucket, index, error };
  return {
    ...started,
    ...(appPaths.length > 0 ? { appPaths } : {}),
    ...(versioned ? { versioned } : {}),
  };
}

/** Everything that is no file, where nobody says otherwise: its router knows what is a mistake. */
const ALL_ADDRESSES = '/**';

async function proposeAppPaths(
  site: string,
  keys: readonly string[],
  index: string,
  { askAppPaths }: StartInput,
): Promise<string[]> {
  const { isApp, readAppPaths } = await import('./find-app.js');
  if (!isApp(site, keys, index)) return [];
  return readAppPaths((await askAppPaths?.(ALL_ADDRESSES)) ?? ALL_ADDRESSES);
}

async function proposeNames(
  keys: readonly string[],
  home: string,
  ask: StartInput['askVersioned'],
): Promise<Started['versioned']> {
  const patterns = proposeVersioned(keys);
  if (patterns.length === 0) return undefined;
  // What reads pages is loaded where a folder is adopted.
  const { countSecondVisit } = await import('./second-visit.js');
  const saves = countSecondVisit(home, keys);
  const proposal = { patterns, ...(saves ? { saves } : {}) };
  return { ...proposal, isTaken: (await ask?.(proposal)) ?? false };
}

/** The schema that the config refers to, beside it: whoever has the one has the other. A file of others stays. */
export async function writeSchema(home: string): Promise<void> {
  const { createJsonSchema, SCHEMA_ID } = await import('../../config/index.js');
  const { SCHEMA_FILE } = await import('./new-config.js');
  const file = join(home, SCHEMA_FILE);
  if (existsSync(file) && !readFileSync(file, 'utf8').includes(SCHEMA_ID)) return;
  writeFileSync(file, `${JSON.stringify(createJsonSchema(STORE_KINDS.keys()), null, 2)}\n`);
}

/** Folders right below that hold pages, at most three. */
function findPages(home: string): string[] {
  if (!existsSync(home)) return [];
  return readdirSync(home, { withFileTypes: true })
    .filter((entry) => entry.isDirectory() && !/^(?:\.|node_modules$)/.test(entry.name))
    .map(({ name }) => name)
    .filter((name) => holdsPages(join(home, name)))
    .slice(0, 3);
}

function holdsPages(folder: string): boolean {
  try {
    return statSync(folder).isDirectory() && readdirSync(folder).some((name) => /\.x?html?$/i.test(name));
  } catch {
    return false;
  }
}

function startSite(site: string): string[] {
  const made: string[] = [];
  try {
    for (const [name, text] of Object.entries(STARTER_FILES)) {
      mkdirSync(resolve(site, name, '..'), { recursive: true });
      if (existsSync(join(site, name))) continue;
      made.push(name);
      writeFileSync(join(site, name), text, { flag: 'wx' });
    }
    return made;
  } catch (error) {
    for (const name of made) rmSync(join(site, name), { force: true });
    throw error;
  }
}
