/**
 * The law of old names, over random edits, publishes whole and in part, restores, switches of headers and of versioned names,
 * sweeps and time: every page that a visitor may still hold finds every file that it named, under that name, with the bytes
 * of then. The visitor is one of the test's own: it reads texts by expressions and knows of no release.
 */
import { createHash } from 'node:crypto';
import { existsSync, renameSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { afterEach, it, vi } from 'vitest';
import { FenestraError } from '../../src/core/errors/catalogue.js';
import { readMatching } from '../../src/jobs/project/matching.js';
import { openProject, type Project } from '../../src/jobs/project/open-project.js';
import { withStore } from '../../src/jobs/project/open-store.js';
import { SILENT } from '../../src/jobs/progress.js';
import { finishPublish, previewPublish } from '../../src/jobs/publish/preview.js';
import type { Questions } from '../../src/jobs/questions.js';
import { carryOutRestore, prepareRestore } from '../../src/jobs/restore/restore.js';
import { prepareSweep, sweepBucket } from '../../src/jobs/sweep/sweep-bucket.js';
import { openProject as openLibrary, type Served } from '../../src/library/index.js';
import { SEED } from '../helpers/chance.js';
import { makeFolder, writeFiles } from '../helpers/program.js';
import { Attack } from './attack-kit.js';

const BUCKET = 'old-mill';
const QUESTIONS: Questions = { agree: async () => undefined, typeName: async () => undefined };
const PAGES = ['index.html', 'visit/index.html', 'times.html'];
/** How pages may be kept, and for how many seconds a browser uses them then without asking. */
const CACHES: readonly (readonly [cache: string, seconds: number])[] = [
  ['revalidate', 0],
  ['never', 0],
  ['2 minutes', 120],
  ['3 hours', 10_800],
  ['2 days', 172_800],
];
const HOUR = 3600;
const STEPS = ['edit', 'edit', 'edit', 'part', 'part', 'restore', 'switch', 'headers', 'sweep'] as const;
type Step = (typeof STEPS)[number];

interface Held {
  readonly page: string;
  /** Milliseconds since the epoch. */
  readonly until: number;
  /** Digests by address. */
  readonly files: ReadonlyMap<string, string>;
}

class Visitors {
  readonly held: Held[] = [];
  readonly #served: Served;
  readonly #pages: readonly string[];

  constructor(served: Served, pages: readonly string[]) {
    this.#served = served;
    this.#pages = pages;
  }

  async #get(path: string): Promise<{ status: number; body: string; headers: Headers }> {
    const response = await this.#served.fetch(path);
    return { status: response.status, body: await response.text(), headers: response.headers };
  }

  /** Somebody loads every page, and keeps what its headers let them. */
  async load(): Promise<void> {
    for (const page of this.#pages) {
      const { status, body, headers } = await this.#get(`/${page}`);
      if (status !== 200) continue;
      const [, age = '0'] = /max-age=(\d+)/.exec(headers.get('cache-control') ?? '') ?? [];
      const until = Date.now() + Math.max(Number(age), HOUR) * 1000;
      const files = new Map<string, string>();
      await this.#follow(`http://x/${page}`, body, files);
      this.held.push({ page, until, files });
    }
  }

  async #follow(base: string, text: string, files: Map<string, string>): Promise<void> {
    for (const [, ...found] of text.matchAll(/(?:href|src)="([^"]+)"|url\(([^)]+)\)|from "([^"]+)"/g)) {
      const written = found.find((each) => each !== undefined) ?? '';
      const { pathname, href } = new URL(written, base);
      // Plain names have the bytes of today.
      if (!/\.[0-9a-f]{8}\.\w+$/.test(pathname) || files.has(pathname)) continue;
      const { status, body } = await this.#get(pathname);
      files.set(pathname, status === 200 ? digestOf(body) : 'missing');
      await this.#follow(href, body, files);
    }
  }

  /** @returns what somebody misses who holds an old page */
  async misses(): Promise<string[]> {
    const now = Date.now();
    const missed: string[] = [];
    for (const { page, until, files } of this.held) {
      if (until < now) continue;
      for (const [path, digest] of files) {
        const { status, body } = await this.#get(path);
        if (status !== 200 || digestOf(body) !== digest)
          missed.push(
            `${page}, held for ${Math.round((until - now) / 1000)} s more, names ${path}: ${status}`,
          );
      }
    }
    return missed;
  }
}

const digestOf = (body: string): string => createHash('sha256').update(body).digest('hex');

/** One of the sites of a bucket. */
class Site {
  /** Where it is in the bucket: `docs/`, or nothing for the whole of it. */
  readonly under: string;
  readonly #home: string;
  readonly #name: string;
  /** Shared by the sites of a bucket. */
  readonly bucket: { releases: number };
  #count = 0;
  versioned = true;
  keepPlain = true;
  cache = CACHES[0] ?? ['revalidate', 0];

  constructor(home: string, under: string, bucket: { releases: number }) {
    this.bucket = bucket;
    this.#home = home;
    this.under = under;
    this.#name = under === '' ? 'whole' : 'docs';
  }

  get config(): string {
    return join(this.#home, `${this.#name}.yaml`);
  }

  open(): Promise<Project> {
    return openProject({ config: this.config });
  }

  write(attack: Attack): void {
    const salt = (): string => `${this.#count++} ${attack.below(1000)}`;
    const maybe = (text: string): string => (attack.below(4) === 0 ? '' : text);
    const page = (up: string): string =>
      `<!doctype html><title>${attack.below(3) === 0 ? salt() : 'x'}</title>${maybe(`<link rel="stylesheet" href="${up}a/s.css">`)}${maybe(`<img src="${up}a/${attack.pick(['p', 'r'])}.png">`)}${maybe(`<script type="module" src="${up}a/m.js"></script>`)}<p>x</p>`;
    const files: Record<string, () => string> = {
      'index.html': () => page(''),
      'visit/index.html': () => page('../'),
      'times.html': () => page(`/${this.under}`),
      'a/s.css': () => `p { color: teal } /* ${salt()} */ ${maybe('p { background: url(q.png) }')}`,
      // A picture that is called otherwise now and then.
      'a/p.png': salt,
      'a/r.png': () => attack.pick(['r', salt()]),
      'a/q.png': salt,
      'a/m.js': () => `${maybe('import { n } from "./n.js";')} // ${salt()}`,
      'a/n.js': () => `export const n = "${salt()}";`,
    };
    const isFirst = this.#count === 0;
    for (const [key, make] of Object.entries(files))
      if (isFirst || attack.below(3) === 0) writeFiles(this.#home, { [`${this.#name}/${key}`]: make() });
    const folder = join(this.#home, this.#name);
    if (attack.below(8) === 0 && existsSync(join(folder, 'a/p.png')))
      renameSync(join(folder, 'a/p.png'), join(folder, 'a/r.png'));
    if (!isFirst && attack.below(12) === 0) rmSync(join(folder, attack.pick(PAGES)), { force: true });
    this.configure();
  }

  configure(): void {
    const versioned = this.versioned ? `versioned: ["a/**"]\nkeepPlain: ${String(this.keepPlain)}\n` : '';
    writeFiles(this.#home, {
      [`${this.#name}.yaml`]: `site: ${this.#name}\ndestinations: { rehearsal: { store: here, bucket: ${BUCKET}${this.under && `, under: ${this.under}`} } }\nhistoryDepth: 60\n${versioned}assign:\n  - { to: "*.html", cache: ${this.cache[0]} }\n`,
    });
  }
}

afterEach(() => vi.useRealTimers());

it(`old pages find what they named (FENESTRA_SEED=${SEED})`, { timeout: 3_600_000 }, async () => {
  const attack = new Attack('old names, over random publishes, restores, sweeps and time', 45);
  vi.useFakeTimers({ toFake: ['Date'], now: Date.now() });
  const advance = (seconds: number): void => void vi.setSystemTime(Date.now() + seconds * 1000);
  for (let round = 0; round < attack.rounds;) {
    // Half of the buckets hold two sites, of which neither knows the other.
    const home = makeFolder();
    const bucket = { releases: 0 };
    const sites = (attack.below(2) === 0 ? [''] : ['', 'docs/']).map(
      (under) => new Site(home, under, bucket),
    );
    for (const site of sites) {
      site.write(attack);
      site.bucket.releases += await publish(site, undefined);
    }
    const library = await openLibrary({ config: sites[0]?.config ?? '' });
    await library.access('open', BUCKET);
    const served = await library.serve();
    const visitors = new Visitors(
      served,
      sites.flatMap(({ under }) => PAGES.map((page) => under + page)),
    );
    const steps: string[] = [];
    for (let step = 0; step < 30 && round < attack.rounds; step++, round++) {
      advance(5);
      // At the last moment before something changes.
      await visitors.load();
      const site = attack.pick(sites);
      const what = attack.pick(STEPS);
      steps.push(site.under + what);
      try {
        await change(site, what, attack, steps);
        attack.note(what);
      } catch (error) {
        if (!(error instanceof FenestraError)) throw error;
        attack.note(`refused: ${error.code}`);
      }
      advance(attack.pick([5, 60, 1000, 3000, 4000, 11_000, 90_000]));
      for (const missed of await visitors.misses())
        attack.harm(`round ${round} (${steps.slice(-8).join(', ')}): ${missed}`);
    }
    await served.close();
  }
  vi.useRealTimers();
  attack.finish();
});

async function change(site: Site, what: Step, attack: Attack, steps: string[]): Promise<void> {
  if (what === 'switch') {
    if (attack.below(2) === 0) site.versioned = !site.versioned;
    else site.keepPlain = !site.keepPlain;
    site.configure();
  }
  if (what === 'headers') {
    site.cache = attack.pick(CACHES);
    site.configure();
  }
  if (what === 'edit' || what === 'part') site.write(attack);
  const part = what === 'part' ? attack.pick(['index.html', '*.html', 'a/**', '*.css']) : undefined;
  if (part !== undefined) steps.push(part);
  if (what === 'restore') site.bucket.releases += await restore(site, 1 + attack.below(site.bucket.releases));
  else if (what === 'sweep') site.bucket.releases += await sweep(site);
  else site.bucket.releases += await publish(site, part);
}

async function publish(site: Site, part: string | undefined): Promise<number> {
  const project = await site.open();
  const request = { dryRun: false, note: '', yes: true, matching: readMatching(part) };
  const preview = await previewPublish(project, request, SILENT);
  try {
    if (!preview.changes) return 0;
    const { release } = await finishPublish(preview, SILENT, QUESTIONS);
    return release === null ? 0 : 1;
  } finally {
    await preview.prepared.close();
  }
}

async function restore(site: Site, release: number): Promise<number> {
  const project = await site.open();
  return withStore(project, async (store) => {
    const restoring = await prepareRestore(project, store, release, SILENT);
    await carryOutRestore(project, store, restoring, { release, note: '', yes: true }, SILENT, QUESTIONS);
    return 1;
  });
}

async function sweep(site: Site): Promise<number> {
  const project = await site.open();
  return withStore(project, async (store) => {
    const swept = await sweepBucket(project, store, await prepareSweep(store, BUCKET, Date.now()), SILENT);
    return swept.record ? 1 : 0;
  });
}
