/** A root, a parent and providers: real name servers that are taken from one state of a zone to another. */
import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { Authority, type Kind, type Zones } from './authority.js';

export const ZONE = 'wendlemill.example.';
export const BUCKET_HOST = 'wendle-mill-live.web.store.example';
export const [NEW_PLACE, OLD_PLACE] = ['10.53.4.1', '10.53.4.9'];
export const ROOT = '10.53.0.1';

/** Where each server answers. */
const ADDRESSES = {
  root: [ROOT],
  parent1: ['10.53.1.1'],
  parent2: ['10.53.1.2'],
  old1: ['10.53.2.1'],
  old2: ['10.53.2.2'],
  new1: ['10.53.3.1'],
  new2: ['10.53.3.2'],
  six1: ['fd53::31'],
  six2: ['fd53::32'],
} as const;
type ServerId = keyof typeof ADDRESSES;
export type ProviderId = Exclude<ServerId, 'root' | 'parent1' | 'parent2'>;
export const addressOf = (id: ProviderId): string => ADDRESSES[id][0];

export interface Delegation {
  /** Names of servers, with a dot at the end. */
  readonly ns: readonly string[];
  readonly ttl: number;
  /** Keys that the parent vouches for, and for how long that is held. */
  readonly ds?:
    { readonly key: string; readonly ttl: number; readonly spoil?: (text: string) => string } | undefined;
}

export interface Zone {
  readonly ns: readonly string[];
  readonly nsTtl: number;
  /** For how long it is held that there is nothing. */
  readonly negative: number;
  readonly lines: readonly string[];
  /** Signed by this one: `NAME` or `NAME ALGORITHM`. */
  readonly key?: string | undefined;
  /** When its signatures begin and end, beside now: as the signer takes it. */
  readonly valid?: readonly [string, string];
  /** Spoils what was signed. */
  readonly spoil?: (text: string) => string;
  /** Whether its server takes no connections. */
  readonly withoutTcp?: boolean;
}

export interface State {
  /** What each of the two parents says. */
  readonly parents: readonly [Delegation | undefined, Delegation | undefined];
  /** What each server answers with, or for another zone; the others are off. */
  readonly at: Partial<Readonly<Record<ProviderId, Zone | 'another zone'>>>;
  /** Lines of the zone above: addresses of servers, other people's names. */
  readonly above: readonly string[];
}

/** Which kinds of servers there are: of the parents, of the old provider, of the new one. */
export interface Kinds {
  readonly parents: readonly [Kind, Kind];
  readonly old: readonly [Kind, Kind];
  readonly new: readonly [Kind, Kind];
}

const BIND_ADDRESSES = [...Object.values(ADDRESSES).flat(), OLD_PLACE, NEW_PLACE];
export const RESOLVER_ADDRESSES = [1, 2, 3, 4, 5].map((number) => `10.53.9.${number}`);

/** Gives the namespace that this runs in its addresses. */
export function takeAddresses(): void {
  const ip = (...words: string[]): void => void execFileSync('/usr/sbin/ip', words);
  ip('link', 'set', 'lo', 'up');
  for (const address of [...BIND_ADDRESSES, ...RESOLVER_ADDRESSES])
    if (address.includes(':')) ip('addr', 'add', `${address}/128`, 'dev', 'lo', 'nodad');
    else ip('addr', 'add', `${address}/32`, 'dev', 'lo');
}

const soa = (ttl: number, negative: number): string =>
  `@ ${ttl} IN SOA ns1.nic.example. host.example. SERIAL 3600 600 86400 ${negative}`;

const SIGNED_BY = '; signed by ';

const zoneText = ({ ns, nsTtl, negative, lines, key, valid }: Zone): string =>
  [
    `$ORIGIN ${ZONE}`,
    ...(key ? [SIGNED_BY + [key, ...(valid ?? [])].join(', ')] : []),
    soa(negative, negative),
    ...ns.map((server) => `@ ${nsTtl} IN NS ${server}`),
    ...lines,
    '',
  ].join('\n');

export class NamesTree {
  readonly #servers: Readonly<Record<ServerId, Authority>>;
  readonly #keys = new Map<string, string>();
  #serial = 2_026_112_500;

  constructor(
    readonly folder: string,
    kinds: Kinds,
    readonly isSigned: boolean,
  ) {
    const kindOf: Readonly<Record<ServerId, Kind>> = {
      root: 'nsd',
      parent1: kinds.parents[0],
      parent2: kinds.parents[1],
      old1: kinds.old[0],
      old2: kinds.old[1],
      new1: kinds.new[0],
      new2: kinds.new[1],
      six1: kinds.new[0],
      six2: kinds.new[1],
    };
    this.#servers = Object.fromEntries(
      Object.entries(kindOf).map(([id, kind]) => [
        id,
        new Authority(join(folder, id), kind, ADDRESSES[id as ServerId]),
      ]),
    ) as Readonly<Record<ServerId, Authority>>;
  }

  /** Takes every server to a state; it is that of all of them from when this returns. */
  async apply(state: State): Promise<void> {
    const serial = ++this.#serial;
    const spoiled = (id: ServerId, text: string): string => {
      const zone = state.at[id as ProviderId];
      return typeof zone === 'object' && zone.spoil ? zone.spoil(text) : text;
    };
    const given: Partial<Record<ServerId, Zones>> = {
      root: {
        '.': [
          `$ORIGIN .\n${soa(60, 5)}`,
          '@ 3600 IN NS a.root.lab.',
          `a.root.lab. 3600 IN A ${ROOT}`,
          'example. 3600 IN NS ns1.nic.example.',
          'example. 3600 IN NS ns2.nic.example.',
          'ns1.nic.example. 3600 IN A 10.53.1.1',
          'ns2.nic.example. 3600 IN A 10.53.1.2\n',
        ].join('\n'),
      },
      parent1: { 'example.': this.#above(state.parents[0], state.above) },
      parent2: { 'example.': this.#above(state.parents[1], state.above) },
      ...Object.fromEntries(
        Object.entries(state.at).map(([id, zone]) => [
          id,
          zone === 'another zone'
            ? {
                'other.example.': `$ORIGIN other.example.\n${soa(60, 5)}\n@ 60 IN NS ns.other.example.\nns 60 IN A 10.53.2.1\n`,
              }
            : { [ZONE]: zoneText(zone) },
        ]),
      ),
    };
    await Promise.all(
      Object.entries(this.#servers).map(([id, server]) => {
        const zones = given[id as ServerId];
        const own = state.at[id as ProviderId];
        server.takesTcp = typeof own !== 'object' || own.withoutTcp !== true;
        const finish = (zone: string, text: string): string =>
          spoiled(id as ServerId, this.#sign(zone, text));
        return zones ? server.answer(zones, serial, finish) : server.off();
      }),
    );
  }

  /** The DS of the zone above all that is signed. */
  anchor(): string {
    return this.isSigned ? this.#dsOf('example.', 'above').replace(/^(\S+)/, 'example.') : '';
  }

  #above(delegation: Delegation | undefined, above: readonly string[]): string {
    const { ns = [], ttl = 0, ds } = delegation ?? {};
    return [
      '$ORIGIN example.',
      ...(this.isSigned ? [`${SIGNED_BY}above`] : []),
      soa(60, 5),
      '@ 3600 IN NS ns1.nic',
      '@ 3600 IN NS ns2.nic',
      'ns1.nic 3600 IN A 10.53.1.1',
      'ns2.nic 3600 IN A 10.53.1.2',
      `${BUCKET_HOST}. 60 IN A ${NEW_PLACE}`,
      ...above,
      ...ns.map((server) => `wendlemill ${ttl} IN NS ${server}`),
      ...(ds
        ? this.#dsOf(ZONE, ds.key)
            .split('\n')
            .map((line) => (ds.spoil ?? String)(line.replace(' IN ', ` ${ds.ttl} IN `)))
        : []),
      '',
    ].join('\n');
  }

  /** @param words the key's name, and its algorithm where it is not the usual one */
  #keyOf(zone: string, words: string): string {
    const [name = '', algorithm = 'ECDSAP256SHA256'] = words.split(' ');
    const known = this.#keys.get(name);
    if (known !== undefined) return known;
    const folder = join(this.folder, 'keys', name);
    mkdirSync(folder, { recursive: true });
    execFileSync(
      'dnssec-keygen',
      [
        '-q',
        '-a',
        algorithm,
        ...(algorithm.startsWith('RSA') ? ['-b', '2048'] : []),
        '-f',
        'KSK',
        '-K',
        folder,
        zone,
      ],
      {
        stdio: ['ignore', 'pipe', 'ignore'],
      },
    );
    const file = readdirSync(folder).find((entry) => entry.endsWith('.key')) ?? '';
    this.#keys.set(name, join(folder, file));
    return join(folder, file);
  }

  #dsOf(zone: string, name: string): string {
    return execFileSync('dnssec-dsfromkey', ['-2', this.#keyOf(zone, name)], { encoding: 'utf8' }).trim();
  }

  #sign(zone: string, text: string): string {
    const words = text
      .split('\n')
      .find((line) => line.startsWith(SIGNED_BY))
      ?.slice(SIGNED_BY.length);
    if (words === undefined) return text;
    const [name = '', begins, ends] = words.split(', ');
    const key = this.#keyOf(zone, name);
    const validity = begins !== undefined && ends !== undefined ? ['-s', begins, '-e', ends, '-P'] : [];
    const scratch = mkdtempSync(join(this.folder, 'signing-'));
    try {
      const file = join(scratch, 'zone');
      writeFileSync(file, `${text}\n${readFileSync(key, 'utf8')}`);
      execFileSync(
        'dnssec-signzone',
        [
          '-z',
          ...validity,
          '-o',
          zone,
          '-f',
          `${file}.signed`,
          '-d',
          scratch,
          file,
          key.replace(/\.key$/, ''),
        ],
        {
          stdio: 'pipe',
          cwd: scratch,
        },
      );
      return readFileSync(`${file}.signed`, 'utf8');
    } finally {
      rmSync(scratch, { recursive: true });
    }
  }
}
