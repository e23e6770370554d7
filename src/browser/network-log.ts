/** What a browser itself tells of its requests, where nobody else can look on. */
import type { DevTools, Message } from './devtools.js';

export interface LoggedRequest {
  readonly url: string;
  /** On the wire: 304 where what was kept has not changed. */
  readonly status: number;
  readonly bytes: number;
}

interface Entry {
  readonly url: string;
  /** The browser's own view of the answer, which says 200 of what a 304 has confirmed. */
  status: number;
  isKept: boolean;
  bytes: number;
  isDone: boolean;
}

interface Response {
  readonly status: number;
  readonly fromDiskCache?: boolean;
  readonly encodedDataLength?: number;
}

/** Something that a page asked for, be it of the network or of the browser's cache. */
export interface MetRequest {
  readonly url: string;
  /** In the browser's words: `Script`, `Fetch`… */
  readonly type: string;
  /** Whether a script asked for it. */
  readonly byScript: boolean;
}

const isByScript = (initiator: unknown): boolean =>
  (initiator as { readonly type?: string } | undefined)?.type === 'script';

/** Of one page more are no page but an attack. */
const MAX_MET = 20_000;

export class NetworkLog {
  readonly #entries = new Map<string, Entry>();
  /** Statuses on the wire, by request, in the order of its redirects. */
  readonly #wire = new Map<string, number[]>();
  /** Redirects of which the wire's word is still to come. */
  readonly #late = new Map<string, number>();
  #noted: LoggedRequest[] = [];
  #met: MetRequest[] = [];
  #lastAt = performance.now();

  constructor(tools: DevTools, session: string) {
    tools.listen((message) => {
      if (message.sessionId === session) this.#take(message);
    });
  }

  take(): LoggedRequest[] {
    for (const [id, entry] of this.#entries) if (entry.isDone) this.#note(id, entry);
    const noted = this.#noted;
    this.#noted = [];
    return noted;
  }

  /** What was asked for since the last time, from whatever it came. */
  takeMet(): MetRequest[] {
    const met = this.#met;
    this.#met = [];
    return met;
  }

  isBusy(): boolean {
    return [...this.#entries.values()].some(({ isDone }) => !isDone);
  }

  lastAt(): number {
    return this.#lastAt;
  }

  #take({ method, params = {} }: Message): void {
    const id = String(params['requestId']);
    const entry = this.#entries.get(id);
    switch (method) {
      case 'Network.requestWillBeSent': {
        const redirect = params['redirectResponse'] as Response | undefined;
        if (entry && redirect) {
          this.#answered(entry, redirect);
          // What the wire said of it may come only now, and is no answer to what follows.
          if (!this.#wire.has(id) && !entry.isKept) this.#late.set(id, (this.#late.get(id) ?? 0) + 1);
          this.#note(id, entry);
        }
        const { url, method: verb } = params['request'] as { readonly url: string; readonly method: string };
        if (verb === 'GET' && /^https?:/.test(url) && this.#met.length < MAX_MET)
          this.#met.push({ url, type: String(params['type']), byScript: isByScript(params['initiator']) });
        if (/^https?:/.test(url))
          this.#entries.set(id, { url, status: 0, isKept: false, bytes: 0, isDone: false });
        break;
      }
      case 'Network.requestServedFromCache':
        if (entry) entry.isKept = true;
        break;
      case 'Network.responseReceivedExtraInfo': {
        const late = this.#late.get(id) ?? 0;
        if (late > 0) {
          this.#late.set(id, late - 1);
          break;
        }
        this.#wire.set(id, [...(this.#wire.get(id) ?? []), Number(params['statusCode'])]);
        break;
      }
      case 'Network.responseReceived':
        if (entry) this.#answered(entry, params['response'] as Response);
        break;
      case 'Network.loadingFinished':
        if (entry) {
          entry.bytes = Number(params['encodedDataLength'] ?? entry.bytes);
          entry.isDone = true;
        }
        break;
      case 'Network.loadingFailed':
        // A player gives up a request of its own accord.
        if (entry) entry.isDone = true;
        break;
      default:
        return;
    }
    this.#lastAt = performance.now();
  }

  #answered(entry: Entry, { status, fromDiskCache, encodedDataLength = 0 }: Response): void {
    entry.status = status;
    entry.bytes = encodedDataLength;
    if (fromDiskCache) entry.isKept = true;
  }

  #note(id: string, { url, status, isKept, bytes }: Entry): void {
    this.#entries.delete(id);
    const wire = this.#wire.get(id);
    const seen = wire?.shift();
    if (wire?.length === 0) this.#wire.delete(id);
    // What came from the cache alone was on no wire.
    if (seen === undefined && (isKept || status === 0)) return;
    this.#noted.push({ url, status: seen ?? status, bytes });
  }
}
