/** Goes through a published site and keeps what each address answers. */
import pMap from 'p-map';
import pThrottle from 'p-throttle';
import { listPaths, shapeOf, targetIn } from '../../core/adopting/list-paths.js';
import { EVERYTHING, NOTHING, parseRobots, type Robots } from '../../core/adopting/robots.js';
import { targetOf } from '../../core/adopting/learn-moved.js';
import { isRedirect, type SeenAnswer } from '../../core/adopting/seen.js';
import { essence, isText } from '../../core/assign/media-type.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { foldersAbove, keyToPath } from '../../core/site/key.js';
import { countOf } from '../../core/words/counts.js';
import { publicUrl } from '../../core/words/public-url.js';
import type { WholeAnswer } from '../../endpoint/index.js';
import type { Progress } from '../progress.js';
import type { CrawlMemory } from './crawl-memory.js';
import type { FetchedFolder } from './fetched-folder.js';
import { MAX_KEPT_BODY, toSeen, type Seen } from './to-seen.js';

export interface CrawlOptions {
  /** With its closing slash. */
  readonly at: URL;
  /** Keys that are asked for first. */
  readonly keys: readonly string[];
  /** Paths that visitors ask for, whether something names them or not. */
  readonly paths: readonly string[];
  /** Whether the site is the asker's own, so that robots.txt is not for it. */
  readonly mine: boolean;
  /** Addresses that are asked for at most. */
  readonly atMost: number;
  /** Requests a second at most. */
  readonly rate: number;
  /** Seconds for the whole of an answer. */
  readonly answerTime: number;
  readonly ca?: string | undefined;
  /** Takes each body with its content coding undone, where bodies are wanted. */
  readonly fetched?: Pick<FetchedFolder, 'has' | 'put'> | undefined;
}

/** What was passed over, by why. */
export type PassedOver =
  'robots' | 'too many alike' | 'too many' | 'no answer' | 'too large' | 'no file name';

export interface Crawled {
  readonly answers: readonly SeenAnswer[];
  readonly passedOver: ReadonlyMap<PassedOver, readonly string[]>;
  /** Addresses with a query that answer otherwise than without. */
  readonly byQuery: readonly string[];
  readonly ask: Ask;
}

export type Ask = (target: string) => Promise<SeenAnswer | undefined>;

const CONNECTIONS = 8;
/** Addresses that differ in numbers alone, of which no more are asked for. */
const MAX_ALIKE = 400;
/** Bytes of a body that is read; of longer ones the head is enough. */
const MAX_BODY = 16 * 2 ** 20;
/** Milliseconds for all of it. */
const MAX_TIME = 20 * 60_000;
/** In a row without an answer, after which nobody is there any more. */
const GIVE_UP = 12;
const MAX_QUERIES = 12;
/** Addresses beyond those that are asked for, of which is told; and links of one text that are followed. */
const MAX_TOLD = 10_000;
const MAX_LINKS = 5000;
const AGENT = 'fenestra';
/** What stands nowhere in pages: files that browsers and robots ask for, and pages for wrong addresses. */
const USUAL = ['sitemap.xml', 'favicon.ico', 'robots.txt', 'not-found.html', '404.html', 'error.html'].map(
  (name) => `/${name}`,
);

/**
 * @param work is done with what was found, while the connections are there still
 * @throws FenestraError ENDPOINT_DEAD, SITE_WENT_SILENT, USAGE where robots.txt lets nobody ask or another host has the site
 */
export async function crawlSite<T>(
  options: CrawlOptions,
  { memory, progress }: { readonly memory: CrawlMemory; readonly progress: Progress },
  work: (crawled: Crawled) => Promise<T>,
): Promise<T> {
  const { createAgent, readAnswer, reasonOf } = await import('../../endpoint/index.js');
  const { at, ca, answerTime, rate } = options;
  const agent = createAgent({ connections: CONNECTIONS, timeoutMs: 10_000, ca });
  // Each begins no sooner than a pause after the one before.
  const read = pThrottle({ limit: 1, interval: 1000 / rate })((target: string) =>
    readAnswer(at, at.pathname.slice(0, -1) + target, {
      dispatcher: agent,
      wholeMs: answerTime * 1000,
      accepts: 'identity',
      most: options.fetched ? MAX_KEPT_BODY : MAX_BODY,
    }),
  );
  try {
    const first = await read('/robots.txt').catch((error: unknown) => {
      throw new FenestraError('ENDPOINT_DEAD', { url: publicUrl(at).href, reason: reasonOf(error) }, error);
    });
    const crawl = new Crawl(options, memory, read, progress);
    return await work(await crawl.run(first));
  } finally {
    await agent.destroy();
  }
}

class Crawl {
  readonly #options: CrawlOptions;
  readonly #memory: CrawlMemory;
  readonly #read: (target: string) => Promise<WholeAnswer>;
  readonly #progress: Progress;
  readonly #answers = new Map<string, SeenAnswer>();
  readonly #known = new Set<string>();
  readonly #queries = new Map<string, string>();
  readonly #shapes = new Map<string, number>();
  readonly #passedOver = new Map<PassedOver, string[]>();
  #waiting: string[] = [];
  #robots: Robots = EVERYTHING;
  #silent = 0;

  constructor(
    options: CrawlOptions,
    memory: CrawlMemory,
    read: (target: string) => Promise<WholeAnswer>,
    progress: Progress,
  ) {
    this.#options = options;
    this.#memory = memory;
    this.#read = read;
    this.#progress = progress;
  }

  async run(robots: WholeAnswer): Promise<Crawled> {
    const { at, mine, keys, paths } = this.#options;
    this.#readRobots(robots, mine);
    this.#progress.step('probe');
    this.#add('/');
    for (const key of keys) this.#add(keyToPath(key), true);
    for (const folder of foldersOf(keys))
      for (const path of [folder, folder.slice(0, -1)]) this.#add(keyToPath(path), true);
    for (const raw of [...paths, ...this.#robots.sitemaps, ...USUAL]) {
      const target = targetIn(at, raw.startsWith('/') ? `.${raw}` : raw, at.href);
      if (target !== undefined) this.#add(target);
    }
    const until = performance.now() + MAX_TIME;
    while (this.#waiting.length > 0 && performance.now() < until && this.#silent < GIVE_UP) {
      const batch = this.#waiting.splice(0, 4 * CONNECTIONS);
      const linked = await pMap(batch, (path) => this.#visit(path), { concurrency: CONNECTIONS });
      this.#assertHere();
      for (const targets of linked) for (const target of targets) this.#add(target);
      this.#progress.advance(0, this.#answers.size);
    }
    if (this.#silent >= GIVE_UP)
      throw new FenestraError('SITE_WENT_SILENT', {
        url: publicUrl(at).href,
        count: countOf(this.#answers.size, 'address', 'addresses'),
      });
    for (const path of this.#waiting) this.#pass('too many', path);
    return {
      answers: [...this.#answers.values()],
      passedOver: this.#passedOver,
      byQuery: await this.#listByQuery(),
      ask: (target) => this.#ask(target),
    };
  }

  /** A host that sends its home page's visitors on to another shows nothing of the site. */
  #assertHere(): void {
    const { at } = this.#options;
    const home = this.#answers.get('/');
    const to = home && isRedirect(home) ? targetOf(home, at.origin) : undefined;
    if (to === undefined || to.startsWith('/')) return;
    // The next time it may be otherwise.
    this.#memory.forget();
    throw new FenestraError('USAGE', {
      what: `${publicUrl(at).href} sends its visitors on to ${publicUrl(new URL(to)).href}, and no other host is asked than the one that was named.`,
      fix: `Name that one: --at ${publicUrl(new URL(to)).href}`,
    });
  }

  #readRobots({ status, body }: WholeAnswer, mine: boolean): void {
    if (status >= 500 && !mine) this.#robots = NOTHING;
    else if (status === 200 && body) {
      const robots = parseRobots(body.toString('utf8'), AGENT);
      this.#robots = mine ? { ...robots, mayAsk: () => true } : robots;
    }
    if (this.#robots.mayAsk(this.#options.at.pathname)) return;
    throw new FenestraError('USAGE', {
      what: `${publicUrl(this.#options.at).href} does not let programs look at it: ${status >= 500 ? `its robots.txt answers ${status}` : 'so says its robots.txt'}.`,
      fix: 'Where the site is your own, say so with --mine.',
    });
  }

  #pass(why: PassedOver, path: string): void {
    const paths = this.#passedOver.get(why);
    if (paths) paths.push(path);
    else this.#passedOver.set(why, [path]);
  }

  /** @param isFile whether it is surely one of the site's, not made up by a program */
  #add(target: string, isFile = false): void {
    const question = target.indexOf('?');
    const path = question < 0 ? target : target.slice(0, question);
    if (question >= 0 && this.#queries.size < 1000) this.#queries.set(path, target);
    if (this.#known.has(path) || this.#known.size >= this.#options.atMost + MAX_TOLD) return;
    this.#known.add(path);
    if (!this.#robots.mayAsk(this.#options.at.pathname.slice(0, -1) + path))
      return this.#pass('robots', path);
    const shape = shapeOf(path);
    const alike = (this.#shapes.get(shape) ?? 0) + 1;
    this.#shapes.set(shape, alike);
    if (alike > MAX_ALIKE && !isFile) return this.#pass('too many alike', path);
    if (this.#known.size - this.#count('robots') > this.#options.atMost) return this.#pass('too many', path);
    this.#waiting.push(path);
  }

  #count(why: PassedOver): number {
    return this.#passedOver.get(why)?.length ?? 0;
  }

  /** @returns what it links to */
  async #visit(path: string): Promise<readonly string[]> {
    const known = this.#memory.get(path);
    const { fetched } = this.#options;
    if (known && (!fetched || known.answer.status !== 200 || fetched.has(known.answer))) {
      this.#answers.set(path, known.answer);
      return known.links;
    }
    const seen = await this.#look(path);
    if (!seen) {
      this.#pass('no answer', path);
      return [];
    }
    const { answer, body } = seen;
    this.#answers.set(path, answer);
    if (!answer.isWhole) this.#pass('too large', path);
    const links = this.#linksOf(answer, body);
    // What is remembered is there.
    if (body && answer.status === 200) fetched?.put(answer, body);
    this.#memory.put(answer, links);
    return links;
  }

  #linksOf(answer: SeenAnswer, body: Buffer | undefined): readonly string[] {
    const { at } = this.#options;
    const { path, headers } = answer;
    if (isRedirect(answer)) {
      const target = targetIn(at, headers['location'] ?? '', at.href.slice(0, -1) + path);
      return target === undefined ? [] : [target];
    }
    const type = headers['content-type'] ?? '';
    if (!body || !(isText(essence(type)) || answer.isUtf8)) return [];
    return listPaths(at, { path, text: body.toString('utf8'), headers: { 'Content-Type': type } }).slice(
      0,
      MAX_LINKS,
    );
  }

  async #ask(target: string): Promise<SeenAnswer | undefined> {
    return (await this.#look(target))?.answer;
  }

  async #look(target: string): Promise<Seen | undefined> {
    let whole: WholeAnswer;
    try {
      whole = await this.#read(target);
      this.#silent = 0;
    } catch {
      this.#silent++;
      return undefined;
    }
    return toSeen(this.#options.at, target, whole);
  }

  /** A bucket passes over queries: where an address says another thing with one, a program answers. */
  async #listByQuery(): Promise<string[]> {
    const found: string[] = [];
    const asked = [...this.#queries]
      .filter(([path]) => this.#answers.get(path)?.status === 200)
      .slice(0, MAX_QUERIES);
    for (const [path, target] of asked) {
      const answer = await this.#ask(target);
      if (answer && answer.digest !== this.#answers.get(path)?.digest) found.push(target);
    }
    return found;
  }
}

/** With their closing slashes; of very many some. */
const foldersOf = (keys: readonly string[]): string[] =>
  [...new Set(keys.flatMap(foldersAbove))].slice(0, MAX_FOLDERS);
const MAX_FOLDERS = 500;
