/** A Chromium of this machine, with a profile of its own, that loads pages and reloads them. */
import { spawn, type ChildProcess } from 'node:child_process';
import { join } from 'node:path';
import { Denials, DENYING_FLAGS, type Denied } from './denials.js';
import { BrowserFailed, DevTools } from './devtools.js';
import { NetworkLog } from './network-log.js';
import type { Profile } from './profile.js';

/** Nothing that asks for anything by itself. */
const FLAGS = [
  '--headless',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--no-default-browser-check',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
  '--disable-extensions',
  '--disable-features=Translate,OptimizationHints,MediaRouter',
  '--remote-debugging-pipe',
  '--autoplay-policy=user-gesture-required',
  ...DENYING_FLAGS,
];

export interface BrowserOptions {
  readonly program: string;
  readonly width: number;
  readonly height: number;
  readonly density: number;
}

const LOAD_MS = 60_000;
const IDLE_MS = 8_000;
const CLOSE_MS = 10_000;

export class Browser {
  readonly #child: ChildProcess;
  readonly #tools: DevTools;
  readonly #session: string;
  /** What it tells of its requests. */
  readonly log: NetworkLog;
  /** What pages were kept from doing, and how often. */
  readonly denied: ReadonlyMap<Denied, number>;

  private constructor(
    child: ChildProcess,
    tools: DevTools,
    session: string,
    { log, denials }: { readonly log: NetworkLog; readonly denials: Denials },
  ) {
    this.#child = child;
    this.#tools = tools;
    this.#session = session;
    this.log = log;
    this.denied = denials.counts;
  }

  /** Opens a browser with one empty tab. @throws BrowserFailed */
  static async open({ program, width, height, density }: BrowserOptions, profile: Profile): Promise<Browser> {
    const child = spawn(
      program,
      [
        ...FLAGS,
        // Where one is root there is no sandbox to be had.
        ...(process.getuid?.() === 0 ? ['--no-sandbox'] : []),
        `--user-data-dir=${join(profile.folder, 'profile')}`,
        `--crash-dumps-dir=${join(profile.folder, 'crashes')}`,
        `--window-size=${width},${height}`,
        'about:blank',
      ],
      { stdio: ['ignore', 'ignore', 'ignore', 'pipe', 'pipe'] },
    );
    profile.note(child);
    const tools = new DevTools(child);
    try {
      const { targetId } = await tools.send('Target.createTarget', { url: 'about:blank' });
      const { sessionId } = await tools.send('Target.attachToTarget', { targetId, flatten: true });
      const session = String(sessionId);
      await tools.send('Page.enable', {}, session);
      await tools.send('Page.setLifecycleEventsEnabled', { enabled: true }, session);
      await tools.send(
        'Emulation.setDeviceMetricsOverride',
        { width, height, deviceScaleFactor: density, mobile: false },
        session,
      );
      const log = new NetworkLog(tools, session);
      const denials = await Denials.begin(tools, session, String(targetId));
      return new Browser(child, tools, session, { log, denials });
    } catch (error) {
      child.kill('SIGKILL');
      throw error;
    }
  }

  /** What the browser calls itself. */
  async version(): Promise<string> {
    return String((await this.#tools.send('Browser.getVersion'))['product']);
  }

  /** Goes to an address as if it was typed, until the page says that it has loaded. @throws BrowserFailed */
  async goTo(url: string): Promise<void> {
    await this.#untilLoaded(async () => {
      const { errorText } = await this.#tools.send('Page.navigate', { url }, this.#session);
      if (typeof errorText === 'string' && errorText !== '') throw new BrowserFailed(`${url}: ${errorText}`);
    });
  }

  /** @param forced without what is kept @throws BrowserFailed */
  async reload(forced: boolean): Promise<void> {
    await this.#untilLoaded(async () => {
      await this.#tools.send('Page.reload', { ignoreCache: forced }, this.#session);
    });
  }

  /** A browser on a busy machine asks for what matters least long after the page has loaded: it knows when it is idle. */
  async #untilLoaded(begin: () => Promise<void>): Promise<void> {
    const loaded = this.#tools.once('Page.loadEventFired', this.#session, LOAD_MS);
    const idle = this.#tools.once(
      'Page.lifecycleEvent',
      this.#session,
      LOAD_MS + IDLE_MS,
      ({ name }) => name === 'networkIdle',
    );
    loaded.catch(() => undefined);
    idle.catch(() => undefined);
    await begin();
    await loaded;
    // A film that goes on loading is no reason to wait for ever.
    await Promise.race([
      idle.catch(() => undefined),
      new Promise((done) => setTimeout(done, IDLE_MS).unref()),
    ]);
  }

  /** Ends it in its own time, so that what it keeps is on the disk. */
  async close(): Promise<void> {
    const ended = new Promise<void>((done) => {
      if (this.#child.exitCode !== null || this.#child.signalCode !== null) done();
      else this.#child.once('exit', () => done());
    });
    const timer = setTimeout(() => this.#child.kill('SIGKILL'), CLOSE_MS);
    await this.#tools.send('Browser.close').catch(() => undefined);
    await ended;
    clearTimeout(timer);
  }
}
