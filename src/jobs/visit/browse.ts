/** The same visits by a real browser, over our own emulation, with every request noted on the way. */
import { FenestraError } from '../../core/errors/catalogue.js';
import type { BrowserRequest, BrowserVisit } from '../../core/visiting/compare-visits.js';
import type { Browsed } from '../../core/visiting/visit-outcome.js';
import type { VisitName, VisitPlan } from '../../core/visiting/run-visits.js';
import type { Screen } from '../../core/visiting/screen.js';
import { Browser, Profile } from '../../browser/browser.js';
import { startHostServer } from '../../server/host-server.js';
import type { Hosted } from '../../server/hosted.js';
import { startRelay, type Relay } from '../../server/recording-relay.js';
import type { Progress } from '../progress.js';

export interface BrowseInput {
  readonly hosted: Hosted;
  readonly bucket: string;
  /** The whole addresses of the pages, as the model has them. */
  readonly urls: readonly string[];
  readonly plan: VisitPlan;
  readonly screen: Screen;
  /** The browser's program. */
  readonly program: string;
}

/** Milliseconds without a request after which a page has asked for all that it will. */
const QUIET_MS = 700;
const MOST_MS = 30_000;

/** @throws FenestraError BROWSER_FAILED */
export async function browse(input: BrowseInput, progress: Progress): Promise<Browsed> {
  const server = await startHostServer({ hosted: input.hosted, host: '127.0.0.1', port: 0 });
  const relay = await startRelay(server.port);
  try {
    return await new Browsing(input, relay, progress).run();
  } catch (error) {
    if (error instanceof FenestraError) throw error;
    const reason = error instanceof Error ? error.message : String(error);
    throw new FenestraError('BROWSER_FAILED', { program: input.program, reason }, error);
  } finally {
    await relay.close();
    await server.close(0);
  }
}

class Browsing {
  readonly #input: BrowseInput;
  readonly #relay: Relay;
  readonly #progress: Progress;
  readonly #visits: BrowserVisit[] = [];
  #version = '';
  #loaded = 0;

  constructor(input: BrowseInput, relay: Relay, progress: Progress) {
    this.#input = input;
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
    return { version: this.#version, visits: this.#visits };
  }

  async #inProfile(seconds: number, kinds: readonly VisitName[], isFirst: boolean): Promise<void> {
    const profile = new Profile();
    try {
      // The first visit is looked at as it is, and not as one of long ago.
      if (isFirst && seconds > 0) await this.#inProfile(0, [], true);
      this.#relay.putBack(seconds);
      const [first] = await this.#walk(profile, ['first'], 0);
      if (isFirst && seconds === 0 && first) this.#visits.unshift(first);
      if (kinds.length === 0) return;
      this.#relay.putBack(0);
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
      this.#version = await browser.version();
      this.#relay.take();
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
          await this.#settle();
          visit.pages.push({ page, requests: this.#relay.take() });
          this.#progress.advance(0, ++this.#loaded);
        }
      return made;
    } finally {
      await browser.close();
    }
  }

  #addressOf(page: string): string {
    const { pathname, search } = new URL(page);
    return `http://${this.#input.bucket}.localhost:${this.#relay.port}${pathname}${search}`;
  }

  async #settle(): Promise<void> {
    const began = performance.now();
    for (;;) {
      const now = performance.now();
      const quiet = now - Math.max(began, this.#relay.lastAt());
      if ((!this.#relay.isBusy() && quiet >= QUIET_MS) || now - began > MOST_MS) return;
      await new Promise((done) => setTimeout(done, 50));
    }
  }
}
