/** A browser that is driven by the DevTools protocol over a pipe: requests and answers as JSON, a zero byte between. */
import type { ChildProcess } from 'node:child_process';
import type { Readable, Writable } from 'node:stream';

export interface Message {
  readonly id?: number;
  readonly method?: string;
  readonly sessionId?: string;
  readonly params?: Readonly<Record<string, unknown>>;
  readonly result?: Readonly<Record<string, unknown>>;
  readonly error?: { readonly message: string };
}

/** Longer messages are no answers to what is asked here. Bytes. */
const MOST = 64 * 2 ** 20;
const ANSWER_MS = 30_000;

export class BrowserFailed extends Error {}

interface Pending {
  readonly done: (result: Readonly<Record<string, unknown>>) => void;
  readonly failed: (error: Error) => void;
  readonly timer: NodeJS.Timeout;
}

export class DevTools {
  readonly #to: Writable;
  readonly #pending = new Map<number, Pending>();
  readonly #listeners = new Set<(message: Message) => void>();
  #next = 1;
  #left: Buffer[] = [];
  #length = 0;
  #ended: Error | undefined;

  /** @param child with its third stream to write to and its fourth to read from */
  constructor(child: ChildProcess) {
    this.#to = child.stdio[3] as Writable;
    const from = child.stdio[4] as Readable;
    from.on('data', (chunk: Buffer) => this.#take(chunk));
    from.on('error', () => undefined);
    this.#to.on('error', () => undefined);
    child.on('error', (error) => this.#end(error));
    child.on('exit', (code) => this.#end(new BrowserFailed(`it ended with ${code ?? 'a signal'}`)));
  }

  /** @throws BrowserFailed */
  send(
    method: string,
    params: Readonly<Record<string, unknown>> = {},
    sessionId?: string,
  ): Promise<Readonly<Record<string, unknown>>> {
    return new Promise((done, failed) => {
      if (this.#ended) return failed(this.#ended);
      const id = this.#next++;
      const timer = setTimeout(() => {
        this.#pending.delete(id);
        failed(new BrowserFailed(`it did not answer ${method} in ${ANSWER_MS / 1000} seconds`));
      }, ANSWER_MS);
      this.#pending.set(id, { done, failed, timer });
      this.#to.write(
        `${JSON.stringify({ id, method, params, ...(sessionId === undefined ? {} : { sessionId }) })}\0`,
      );
    });
  }

  /** Is told of every message. */
  listen(listener: (message: Message) => void): void {
    this.#listeners.add(listener);
  }

  /** The next event of a name in a session. @throws BrowserFailed after a while */
  once(
    method: string,
    sessionId: string,
    withinMs: number,
    isMeant: (params: Readonly<Record<string, unknown>>) => boolean = () => true,
  ): Promise<void> {
    return new Promise((done, failed) => {
      const timer = setTimeout(() => {
        this.#listeners.delete(listen);
        failed(new BrowserFailed(`it said nothing of ${method} in ${withinMs / 1000} seconds`));
      }, withinMs);
      const listen = (message: Message): void => {
        if (message.method !== method || message.sessionId !== sessionId) return;
        if (!isMeant(message.params ?? {})) return;
        clearTimeout(timer);
        this.#listeners.delete(listen);
        done();
      };
      this.#listeners.add(listen);
    });
  }

  #take(chunk: Buffer): void {
    let rest = chunk;
    for (let end = rest.indexOf(0); end >= 0; end = rest.indexOf(0)) {
      this.#left.push(rest.subarray(0, end));
      this.#read(Buffer.concat(this.#left).toString());
      [this.#left, this.#length] = [[], 0];
      rest = rest.subarray(end + 1);
    }
    this.#length += rest.length;
    if (this.#length > MOST) return this.#end(new BrowserFailed('it sent a message without end'));
    if (rest.length > 0) this.#left.push(rest);
  }

  #read(text: string): void {
    let message: Message;
    try {
      message = JSON.parse(text) as Message;
    } catch {
      return this.#end(new BrowserFailed('it sent something that is no JSON'));
    }
    for (const listener of [...this.#listeners]) listener(message);
    const pending = message.id === undefined ? undefined : this.#pending.get(message.id);
    if (!pending || message.id === undefined) return;
    this.#pending.delete(message.id);
    clearTimeout(pending.timer);
    if (message.error) pending.failed(new BrowserFailed(message.error.message));
    else pending.done(message.result ?? {});
  }

  #end(error: Error): void {
    this.#ended ??= error;
    for (const { failed, timer } of this.#pending.values()) {
      clearTimeout(timer);
      failed(this.#ended);
    }
    this.#pending.clear();
  }
}
