/** The same visits by a real browser, over our own emulation, with every request noted on the way. */
import { FenestraError } from '../../core/errors/catalogue.js';
import type { BrowserRequest, BrowserVisit } from '../../core/visiting/compare-visits.js';
import type { Browsed } from '../../core/visiting/visit-outcome.js';
import type { VisitName, VisitPlan } from '../../core/visiting/run-visits.js';
import { pathOf } from '../../core/words/path-of.js';
import type { Screen } from '../../core/visiting/screen.js';
import { Browser } from '../../browser/browser.js';
import type { Denied } from '../../browser/denials.js';
import { Profile } from '../../browser/profile.js';
import type { LoadUse } from '../../core/visiting/page-load.js';
import type { SeenRequest } from '../../core/visiting/seen-requests.js';
import type { MetRequest, NetworkLog } from '../../browser/network-log.js';
import { startHostServer } from '../../server/host-server.js';
import type { Hosted } from '../../server/hosted.js';
import { startRelay, type Relay } from '../../server/recording-relay.js';
import type { Progress } from '../progress.js';

export interface BrowseInput {
  /** The whole addresses of the pages, as the model has them. */
  readonly urls: readonly string[];
  readonly plan: VisitPlan;
  readonly screen: Screen;
  /** The browser's program. */
  readonly program: string;
}

/** A release that is browsed over our own emulation. */
export interface HostedRelease {
  readonly hosted: Hosted;
  readonly bucket: string;
}

/** Milliseconds without a request after which a page has asked for all that it will. */
const QUIET_MS = 700;
const MAX_MS = 30_000;

/** Over our own emulation: every request is noted on its way, and the first visit can be put back in time. */
export async function browse(
  { hosted, bucket }: HostedRelease,
  input: BrowseInput,
  progress: Progress,
): Promise<Browsed> {
  const server = await startHostServer({ hosted, host: '127.0.0.1', port: 0 });
  const relay = await startRelay(server.port);
  try {
    const onLoopback = (page: string): string => `http://${bucket}.localhost:${relay.port}${pathOf(page)}`;
    return await run(new Browsing(input, onLoopback, relay, progress), input.program);
  } finally {
    await relay.close();
    await server.close(0);
  }
}

/**
 * A live endpoint, by what the browser itself tells. Nobody's clock can be put back there: of the returns only the one
 * at once is made.
 * @throws FenestraError BROWSER_FAILED
 */
export const browseLive = (input: BrowseInput, progress: Progress): Promise<Browsed> => {
  const after = input.plan.after.filter((seconds) => seconds === 0);
  const browsing = new Browsing(
    { ...input, plan: { ...input.plan, after } },
    (page) => page,
    undefined,
    progress,
  );
  return run(browsing, input.program);
};

/** @throws FenestraError BROWSER_FAILED */
async function run(browsing: Browsing, program: string): Promise<Browsed> {
  try {
    return await browsing.run();
  } catch (error) {
    if (error instanceof FenestraError) throw error;
    const reason = error instanceof Error ? error.message : String(error);
    throw new FenestraError('BROWSER_FAILED', { program, reason }, error);
  }
}

/** Whoever sees the requests go by. */
interface Witness {
  take(): BrowserRequest[];
  isBusy(): boolean;
  /** When something last happened, by the clock of `performance`. */
  lastAt(): number;
}

/** Of what a browser tells, the requests to the site itself. */
const witnessOf = (log: NetworkLog, origin: string): Witness => ({
  take: () =>
    log
      .take()
      .flatMap(({ url, status, bytes }) =>
        new URL(url).origin === origin ? [{ target: pathOf(url), status, bytes }] : [],
      ),
  isBusy: () => log.isBusy(),
  lastAt: () => log.lastAt(),
});

/** What a request is for, by the browser's word for it. */
const USES: Readonly<Record<string, LoadUse>> = {
  Document: 'frame',
  Stylesheet: 'style',
  Script: 'script',
  Image: 'image',
  Media: 'media',
  Font: 'font',
  TextTrack: 'captions',
  Manifest: 'manifest',
  Prefetch: 'prefetch',
};

/** @param met as the browser tells it @param requests as they went by @param page where it was loaded from */
function listSeen(
  met: readonly MetRequest[],
  requests: readonly BrowserRequest[],
  page: string,
): SeenRequest[] {
  const { origin } = new URL(page);
  const seen = new Map<string, SeenRequest>();
  for (const { url, type } of met) {
    const path = pathOf(url);
    if (new URL(url).origin === origin && !seen.has(path))
      seen.set(path, { path, use: path === pathOf(page) ? 'page' : (USES[type] ?? 'data') });
  }
  // Of frames that run by themselves the page's own word says nothing, nor of its icon.
  for (const { target } of requests) if (!seen.has(target)) seen.set(target, { path: target, use: 'icon' });
  return [...seen.values()];
}

class Browsing {
  readonly #input: BrowseInput;
  readonly #addressOf: (page: string) => string;
  readonly #relay: Relay | undefined;
  readonly #progress: Progress;
  readonly #visits: BrowserVisit[] = [];
  #version = '';
  /** By page, all that a first visit asked for or took from the cache. */
  readonly #seen = new Map<string, readonly SeenRequest[]>();
  readonly #denied = new Map<Denied, number>();
  #loaded = 0;

  /** @param relay undefined where the browser itself has to tell */
  constructor(
    input: BrowseInput,
    addressOf: (page: string) => string,
    relay: Relay | undefined,
    progress: Progress,
  ) {
    this.#input = input;
    this.#addressOf = addressOf;
    this.#relay = relay;
    this.#progress = progress;
  }

  async run(): Promise<Browsed> {
    const { urls, plan } = this.#input;
    const { after, reload, forced } = plan;
    const kinds: VisitName[] = [
      'return',
      ...(reload ? (['reload'] as const) : []),
      ...(forced ? (['forced'] as const) : []),
    ];
    const loads = urls.length * (1 + after.length * (1 + kinds.length));
    this.#progress.step('browse', { objects: loads });
    if (after.length === 0) await this.#inProfile(0, [], true);
    // One profile for each moment: what was kept first is put back in time, and only once.
    for (const [n, seconds] of after.entries()) await this.#inProfile(seconds, kinds, n === 0);
    const denied = [...this.#denied].map(([what, times]) => ({ what, times }));
    const seen = this.#relay ? this.#seen : new Map<string, readonly SeenRequest[]>();
    return { version: this.#version, visits: this.#visits, seen, ...(denied.length > 0 ? { denied } : {}) };
  }

  async #inProfile(seconds: number, kinds: readonly VisitName[], isFirst: boolean): Promise<void> {
    const profile = new Profile();
    try {
      // The first visit is looked at as it is, and not as one of long ago.
      if (isFirst && seconds > 0) await this.#inProfile(0, [], true);
      this.#relay?.putBack(seconds);
      const [first] = await this.#walk(profile, ['first'], 0);
      if (isFirst && seconds === 0 && first) this.#visits.unshift(first);
      if (kinds.length === 0) return;
      this.#relay?.putBack(0);
      this.#visits.push(...(await this.#walk(profile, kinds, seconds)));
    } finally {
      profile.remove();
    }
  }

  /** Opens the browser, loads each page in each way, and closes it again. */
  async #walk(profile: Profile, kinds: readonly VisitName[], after: number): Promise<BrowserVisit[]> {
    const { urls, screen, program } = this.#input;
    const browser = await Browser.open({ program, ...screen }, profile);
    try {
      const witness = this.#relay ?? witnessOf(browser.log, new URL(urls[0] ?? '').origin);
      this.#version = await browser.version();
      witness.take();
      const made = kinds.map((kind) => ({
        kind,
        after,
        pages: [] as { page: string; requests: readonly BrowserRequest[] }[],
      }));
      for (const page of urls)
        for (const visit of made) {
          if (visit.kind === 'reload' || visit.kind === 'forced')
            await browser.reload(visit.kind === 'forced');
          else await browser.goTo(this.#addressOf(page));
          await settle(witness);
          const met = browser.log.takeMet();
          const scripts = new Set(met.filter(({ byScript }) => byScript).map(({ url }) => pathOf(url)));
          const requests = witness
            .take()
            .map((request) => ({ ...request, byScript: scripts.has(request.target) }));
          visit.pages.push({ page, requests });
          if (visit.kind === 'first') this.#seen.set(page, listSeen(met, requests, this.#addressOf(page)));
          this.#progress.advance(0, ++this.#loaded);
        }
      for (const [what, times] of browser.denied)
        this.#denied.set(what, (this.#denied.get(what) ?? 0) + times);
      return made;
    } finally {
      await browser.close();
    }
  }
}

/** Waits until nothing has been asked for during a while. */
async function settle(witness: Witness): Promise<void> {
  const began = performance.now();
  for (;;) {
    const now = performance.now();
    const quiet = now - Math.max(began, witness.lastAt());
    if ((!witness.isBusy() && quiet >= QUIET_MS) || now - began > MAX_MS) return;
    await new Promise((done) => setTimeout(done, 50));
  }
}
