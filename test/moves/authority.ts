/** Real name servers of three kinds that answer for zones, each in a folder of its own. */
import { spawn, type ChildProcess } from 'node:child_process';
import { closeSync, mkdirSync, openSync, utimesSync, writeFileSync } from 'node:fs';
import { connect, type Socket } from 'node:net';
import { join } from 'node:path';
import { setTimeout as sleep } from 'node:timers/promises';
import { askServer } from '../../src/dns/ask-server.js';
import { toName } from '../../src/core/dns/domain-name.js';

export type Kind = 'nsd' | 'bind' | 'knot';

/** Zone texts by the zone's name, with a dot at its end. `SERIAL` in them is put in. */
export type Zones = Readonly<Record<string, string>>;

const fileOf = (zone: string): string => (zone === '.' ? 'root' : zone.slice(0, -1));

/** What is run to answer for zones, and how it is told of them. */
const KINDS = {
  nsd: {
    config: (folder, addresses, zones) =>
      [
        'server:',
        ...addresses.map((address) => `  ip-address: ${address}`),
        `  port: 53\n  username: ""\n  chroot: ""\n  zonesdir: "${folder}"\n  database: ""\n  zonelistfile: "${folder}/list"`,
        `  xfrdfile: "${folder}/xfrd"\n  xfrdir: "${folder}"\n  pidfile: "${folder}/pid"\n  server-count: 1\n  rrl-ratelimit: 0`,
        'remote-control:\n  control-enable: no',
        ...zones.map((zone) => `zone:\n  name: "${zone}"\n  zonefile: "${folder}/${fileOf(zone)}"`),
      ].join('\n'),
    command: (folder) => ['nsd', '-d', '-c', `${folder}/config`],
  },
  bind: {
    config: (folder, addresses, zones) =>
      [
        `options { directory "${folder}"; ${listenBind(addresses)} recursion no; notify no; dnssec-validation no;`,
        `  pid-file "${folder}/pid"; session-keyfile "${folder}/session"; allow-transfer { none; }; empty-zones-enable no; };`,
        'controls {};',
        ...zones.map((zone) => `zone "${zone}" { type primary; file "${folder}/${fileOf(zone)}"; };`),
      ].join('\n'),
    command: (folder) => ['named', '-g', '-n', '1', '-c', `${folder}/config`],
  },
  knot: {
    config: (folder, addresses, zones) =>
      [
        `server:\n  rundir: ${folder}\n  udp-workers: 1\n  tcp-workers: 1\n  background-workers: 1`,
        ...addresses.map((address) => `  listen: ${address}@53`),
        `database:\n  storage: ${folder}/db`,
        'template:\n  - id: default\n    zonefile-sync: -1\n    zonefile-load: whole\n    journal-content: none',
        zones.length > 0 ? 'zone:' : '',
        ...zones.map((zone) => `  - domain: "${zone}"\n    file: "${folder}/${fileOf(zone)}"`),
      ].join('\n'),
    command: (folder) => ['knotd', '-c', `${folder}/config`],
  },
} as const satisfies Record<
  Kind,
  {
    config(folder: string, addresses: readonly string[], zones: readonly string[]): string;
    command(folder: string): readonly string[];
  }
>;

/** The line that has BIND listen at addresses of both families. */
export function listenBind(addresses: readonly string[]): string {
  const [six, four] = [true, false].map((isSix) =>
    addresses.filter((address) => address.includes(':') === isSix).map((address) => `${address}; `),
  );
  const list = (own: readonly string[] | undefined): string => (own?.length ? own.join('') : 'none; ');
  return `listen-on port 53 { ${list(four)}}; listen-on-v6 port 53 { ${list(six)}};`;
}

const running = new Set<ChildProcess>();
/** Nothing that was started outlives the process that started it. */
export function endAll(): void {
  for (const child of running) child.kill('SIGKILL');
}

/** Starts a program that says what it has to say into a file. */
export function start(folder: string, [command = '', ...words]: readonly string[]): ChildProcess {
  const log = openSync(join(folder, 'log'), 'a');
  const child = spawn(command, words, {
    stdio: ['ignore', log, log],
    env: { ...process.env, PATH: `/usr/sbin:/usr/bin:/sbin:/bin` },
  });
  closeSync(log);
  running.add(child);
  child.once('exit', () => running.delete(child));
  return child;
}

const hasExited = (child: ChildProcess): boolean => child.exitCode !== null || child.signalCode !== null;
const ended = (child: ChildProcess): Promise<void> =>
  new Promise((done) => {
    if (hasExited(child)) done();
    else child.once('exit', () => done());
  });

/** Of a zone that is to be another version. */
export const OTHER_SERIAL = 2_026_000_001;

const LONGEST_MS = 45_000;
const TELL_AGAIN_MS = 3000;

export class Authority {
  readonly #folder: string;
  /** Whether it takes connections; known to one kind alone, and taken in when it starts. */
  takesTcp = true;
  #tookTcp = true;
  #taken: Socket | undefined;
  #child: ChildProcess | undefined;
  #zones: Zones = {};

  constructor(
    folder: string,
    readonly kind: Kind,
    readonly addresses: readonly string[],
  ) {
    this.#folder = folder;
    mkdirSync(join(folder, 'db'), { recursive: true });
  }

  /** Answers for these zones and no others from when it returns. @param finish signs a text, where that is wanted */
  async answer(
    zones: Zones,
    serial: number,
    finish = (_: string, text: string): string => text,
  ): Promise<void> {
    const isSame =
      this.takesTcp === this.#tookTcp && Object.keys(zones).join() === Object.keys(this.#zones).join();
    if (this.#child && isSame && Object.entries(zones).every(([name, text]) => this.#zones[name] === text))
      return;
    this.#zones = zones;
    for (const [name, text] of Object.entries(zones))
      writeFileSync(
        join(this.#folder, fileOf(name)),
        finish(name, text.replaceAll('SERIAL', String(serial))),
      );
    const isReload = this.#child !== undefined && isSame;
    if (isReload) this.#child?.kill('SIGHUP');
    else {
      await this.off();
      this.#tookTcp = this.takesTcp;
      const { config, command } = KINDS[this.kind];
      writeFileSync(
        join(this.#folder, 'config'),
        `${config(this.#folder, this.addresses, Object.keys(zones))}\n`.replace(
          'server-count: 1',
          `server-count: 1${this.takesTcp ? '' : '\n  tcp-count: 1'}`,
        ),
      );
      this.#child = start(this.#folder, command(this.#folder));
    }
    for (const [zone, text] of Object.entries(zones))
      if (text.includes('SERIAL')) await this.#until(zone, serial, isReload);
    // It takes one connection at a time, and that one is taken.
    if (!this.takesTcp && !this.#taken)
      this.#taken = connect(53, this.addresses[0]).on('error', () => undefined);
  }

  async off(): Promise<void> {
    const child = this.#child;
    this.#child = undefined;
    this.#zones = {};
    this.#taken?.destroy();
    this.#taken = undefined;
    if (!child) return;
    child.kill('SIGKILL');
    await ended(child);
  }

  /** @param isReload whether it answered before: a reload that comes during another one can be lost, so it is told again */
  async #until(zone: string, serial: number, isReload: boolean): Promise<void> {
    const began = Date.now();
    const [address = ''] = this.addresses;
    let told = began;
    while (Date.now() - began < LONGEST_MS) {
      const hasEnded = this.#child === undefined || hasExited(this.#child);
      // The port can be held a moment longer by what the last server had started.
      if (hasEnded) this.#child = start(this.#folder, KINDS[this.kind].command(this.#folder));
      else if (isReload && Date.now() - told > TELL_AGAIN_MS) {
        told = Date.now();
        const now = new Date();
        utimesSync(join(this.#folder, fileOf(zone)), now, now);
        this.#child?.kill('SIGHUP');
      }
      const asked = await askServer({ address, port: 53 }, { name: toName(zone), type: 'SOA' });
      if (
        'message' in asked &&
        asked.message.answers.some(({ data }) =>
          [serial, OTHER_SERIAL].some((each) => data.includes(` ${each} `)),
        )
      )
        return;
      await sleep(20);
    }
    throw new Error(
      `${this.kind} at ${address} does not answer for ${zone} with serial ${serial}; see ${this.#folder}/log`,
    );
  }
}
