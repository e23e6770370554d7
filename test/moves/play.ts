/** Plays one move in a namespace of its own, beside `fenestra domain check --wait`, and prints what was seen. */
import { createSocket, type Socket } from 'node:dgram';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import packet from 'dns-packet';
import { endAll } from './authority.js';
import { ALIKE, kindsOf, MOVES, type Move, type MoveName } from './moves.js';
import { openProject } from './project.js';
import { NamesTree, NEW_PLACE, ROOT, takeAddresses } from './tree.js';
import { RESOLVER_KINDS, startResolver, type Resolver } from './resolvers.js';

/** What is printed. Seconds count from when the last server had changed. */
export interface Played {
  /** When the wait was over, and how. */
  readonly ended: number;
  readonly code: number;
  readonly said: string;
  /** The last answer of each resolver that was an old one, and the last that was none. */
  readonly lastOld: Readonly<Record<string, LastSeen>>;
  readonly lastFailed: Readonly<Record<string, LastSeen>>;
  readonly asked: number;
}

export interface LastSeen {
  readonly at: number;
  readonly what: string;
  readonly name: string;
}

const [EVERY_MS, FRESH_MS, PATIENCE_MS] = [200, 700, 2500];
/** It is watched on for so long after all is new, and at the longest. Milliseconds. */
const [WATCHED_ON, LONGEST] = [4000, 120_000];

/** That there is no such name, or no address, is an answer too. */
const isOld = (what: string): boolean => /^\d/.test(what) || what === 'NXDOMAIN' || what === 'NOERROR';

/** Asks one resolver again and again for `www`, and for names like it, each from another moment on. */
class Visitor {
  readonly #socket: Socket = createSocket('udp4');
  readonly #waiting = new Map<number, (what: string) => void>();
  readonly #last = new Map<string, 'new' | 'old' | 'failed'>();
  #id = 0;
  isDone = false;
  lastOld: LastSeen | undefined;
  lastFailed: LastSeen | undefined;
  asked = 0;

  constructor(readonly resolver: Resolver) {
    this.#socket.on('error', () => undefined);
    this.#socket.on('message', (bytes) => {
      const { id = 0, answers = [], ...rest } = packet.decode(bytes);
      const places = answers.flatMap((answer) => (answer.type === 'A' ? [answer.data] : []));
      this.#waiting.get(id)?.(
        places.length > 0 ? places.join() : ((rest as { rcode?: string }).rcode ?? 'no code'),
      );
    });
  }

  /** Whether no name has an old answer any more. @param andNone nor none at all */
  isOver(andNone: boolean): boolean {
    const all = [...this.#last.values()];
    return all.length > 0 && all.every((what) => what === 'new' || (what === 'failed' && !andNone));
  }

  async #ask(name: string): Promise<void> {
    const id = (this.#id = (this.#id + 1) % 65_536);
    const asked = Date.now();
    const what = await new Promise<string>((done) => {
      const timer = setTimeout(() => done('silent'), PATIENCE_MS);
      this.#waiting.set(id, (said) => {
        clearTimeout(timer);
        done(said);
      });
      this.#socket.send(
        packet.encode({
          type: 'query',
          id,
          flags: packet.RECURSION_DESIRED,
          questions: [{ type: 'A', name: `${name}.wendlemill.example` }],
        }),
        53,
        this.resolver.address,
      );
    });
    this.#waiting.delete(id);
    this.asked++;
    const isNew = what === NEW_PLACE;
    this.#last.set(name, isNew ? 'new' : isOld(what) ? 'old' : 'failed');
    // It counts from when it was asked: whatever came then came no sooner.
    const seen = { at: asked, what, name };
    if (isNew) return;
    if (isOld(what)) {
      if (asked > (this.lastOld?.at ?? 0)) this.lastOld = seen;
    } else if (asked > (this.lastFailed?.at ?? 0)) this.lastFailed = seen;
  }

  async #follow(name: string): Promise<void> {
    while (!this.isDone) {
      const next = sleep(EVERY_MS);
      await this.#ask(name);
      await next;
    }
  }

  async watch(): Promise<void> {
    const following = [this.#follow('www')];
    for (const name of ALIKE) {
      if (this.isDone) break;
      following.push(this.#follow(name));
      await sleep(FRESH_MS);
    }
    await Promise.all(following);
    this.#socket.close();
  }
}

async function play(name: MoveName, folder: string, program: string): Promise<Played> {
  const move: Move = MOVES[name];
  const check = openProject(folder, program);
  const tree = new NamesTree(folder, move.kinds ?? kindsOf(name), move.isSigned ?? false);
  await tree.apply(move.start);
  const resolvers = await Promise.all(
    RESOLVER_KINDS.map((kind) =>
      startResolver(join(folder, kind.replaceAll(' ', '-')), kind, ROOT, tree.anchor()),
    ),
  );
  await check();
  const visitors = resolvers.map((resolver) => new Visitor(resolver));
  const watching = visitors.map((visitor) => visitor.watch());
  for (const [number, { after, then }] of move.steps.entries()) {
    await sleep(after * 1000);
    await tree.apply(then);
    if (number < move.steps.length - 1) await check();
  }
  const changed = Date.now();
  const since = (at: number): number => Math.round(at - changed) / 1000;
  let ended = 0;
  const waiting = check('--wait').then((waited) => {
    ended = Date.now();
    return waited;
  });
  for (const { after, then } of move.during ?? []) {
    await sleep(after * 1000);
    await tree.apply(then);
  }
  const waited = await waiting;
  let calmSince = Date.now();
  while (Date.now() - calmSince < WATCHED_ON && Date.now() - changed < LONGEST) {
    if (visitors.some((visitor) => !visitor.isOver(move.isSigned ?? false))) calmSince = Date.now();
    await sleep(EVERY_MS);
  }
  const byResolver = (of: (visitor: Visitor) => LastSeen | undefined): Record<string, LastSeen> =>
    Object.fromEntries(
      visitors.flatMap((visitor) => {
        const seen = of(visitor);
        return seen ? [[visitor.resolver.kind, { ...seen, at: since(seen.at) }]] : [];
      }),
    );
  for (const visitor of visitors) visitor.isDone = true;
  await Promise.all(watching);
  return {
    ended: since(ended),
    ...waited,
    lastOld: byResolver(({ lastOld }) => lastOld),
    lastFailed: byResolver(({ lastFailed }) => lastFailed),
    asked: visitors.reduce((sum, { asked }) => sum + asked, 0),
  };
}

const [name = '', folder = '', program = ''] = process.argv.slice(2);
process.on('exit', endAll);
takeAddresses();
const played = await play(name as MoveName, folder, program);
process.stdout.write(`${JSON.stringify(played)}\n`, () => process.exit(0));
