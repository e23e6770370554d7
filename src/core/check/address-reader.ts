/** What the addresses in texts mean: each is taken apart once for the folder that it is written in. */
import { keyToPath } from '../site/key.js';
import { fragmentOf, hashOf } from '../reading/fragments.js';
import type { Load } from './release-context.js';
import type { Target } from './decide-target.js';
import type { Neighbour } from './neighbour.js';
import type { Places } from '../findings/places.js';

/** Stands for the site's own host; reserved, so no page can mean it (RFC 2606). */
export const OWN = 'site.invalid';
const LOOPBACK = /^(?:localhost|.*\.localhost|127\.\d+\.\d+\.\d+|0\.0\.0\.0|\[::1\])(?::\d+)?$/;

/**
 * An address as it is meant where it is written. `elsewhere` needs no look, `plain` is elsewhere and over plain HTTP,
 * `loopback` is somebody's own machine, `own` is of this site, `outside` of its host and above the site.
 */
export interface Address {
  readonly raw: string;
  readonly kind: 'own' | 'outside' | 'loopback' | 'plain' | 'elsewhere' | 'malformed' | 'disk';
  /** Whether it names no host. */
  readonly relative: boolean;
  readonly path: string;
  /** With its `#`; '' where there is none. */
  readonly hash: string;
  /** The other bucket that it is of. */
  readonly neighbour?: Neighbour;
  /** What it leads to, known with the first reference. */
  target?: Target;
  /** The places at which it is loaded, by the ways in which it is. */
  loads?: Map<number, Load>;
  /** The places that ask for its fragment; null where that always leads somewhere. */
  fragment?: Places | null;
}

export interface Fragment {
  readonly text: string;
  readonly hash: number;
}

/** What is known of addresses where a text stands. */
export interface AddressReaderInput {
  readonly base: string;
  /** Of those that do not depend on the folder. */
  readonly root: Map<number, Address>;
  readonly folder: Map<number, Address>;
}

const MAX_FOLDERS = 16;

export class AddressReader {
  readonly #hosts: ReadonlySet<string>;
  /** With its closing slash. */
  readonly #place: string;
  readonly #neighbours: ReadonlyMap<string, readonly Neighbour[]>;
  readonly #folders = new Map<string, Map<number, Address>>();
  readonly #fragments = new Map<number, Fragment | null>();

  /**
   * @param hosts with their ports, at which this site is or will be reached
   * @param place the path of them below which it lies, with its closing slash
   * @param neighbours other buckets, some of which may share a host with it
   */
  constructor(hosts: readonly string[], place = '/', neighbours: readonly Neighbour[] = []) {
    this.#hosts = new Set(hosts);
    this.#place = place;
    const byHost = new Map<string, Neighbour[]>();
    for (const neighbour of neighbours)
      for (const host of neighbour.hosts) byHost.set(host, [...(byHost.get(host) ?? []), neighbour]);
    this.#neighbours = byHost;
  }

  /** The address at which an object lies. */
  addressOf(key: string): string {
    return `http://${OWN}${this.#place.slice(0, -1)}${keyToPath(key)}`;
  }

  /** What addresses in a text are relative to. */
  surroundings(base: string): AddressReaderInput {
    const path = base.slice(0, base.search(/[?#]|$/));
    const folder = path.slice(0, path.lastIndexOf('/') + 1) || base;
    // Apart from the folder at the root: what is relative in a page there means something else below it.
    const root = `whole ${urlOf('/', base)?.href ?? base}`;
    return { base, root: this.folder(root), folder: this.folder(folder) };
  }

  /** @param number of the string, where strings have numbers */
  find(raw: string, number: number, { base, root, folder }: AddressReaderInput): Address {
    const known = root.get(number) ?? folder.get(number);
    if (known) return known;
    const address = this.read(raw, base);
    // `http:x.png` is relative to a base of that scheme (URL standard, special scheme without slashes).
    if (/^https?:(?!\/\/)/i.test(raw)) return address;
    if (/^(?:\/|[a-z][a-z0-9+.-]*:)/i.test(raw)) root.set(number, address);
    // A query alone is relative to the whole address of the page.
    else if (/^[^\0-\x20?#]/.test(raw)) folder.set(number, address);
    return address;
  }

  /** The texts of a folder come one after the other: what was known of the others is let go. */
  private folder(address: string): Map<number, Address> {
    const known = this.#folders.get(address) ?? new Map<number, Address>();
    this.#folders.delete(address);
    this.#folders.set(address, known);
    for (const oldest of this.#folders.keys()) {
      if (this.#folders.size <= MAX_FOLDERS) break;
      this.#folders.delete(oldest);
    }
    return known;
  }

  /** The fragment of a reference within its page; null for one that always leads somewhere. */
  ownFragment(raw: string, number: number): Fragment | null {
    let fragment = this.#fragments.get(number);
    if (fragment === undefined) {
      const text = fragmentOf(raw);
      fragment = text === undefined ? null : { text, hash: hashOf(text) };
      this.#fragments.set(number, fragment);
    }
    return fragment;
  }

  private read(raw: string, base: string): Address {
    const plain = { raw, relative: false, path: '', hash: '' };
    if (/^[a-z]:[\\/]/i.test(raw) || /^file:/i.test(raw)) return { ...plain, kind: 'disk' };
    const url = urlOf(raw, base);
    if (!url) return { ...plain, kind: 'malformed' };
    const { protocol, host } = url;
    if (protocol !== 'http:' && protocol !== 'https:') return { ...plain, kind: 'elsewhere' };
    const relative = host === OWN;
    const neighbour = relative
      ? undefined
      : this.#neighbours.get(host)?.find(({ place }) => url.pathname.startsWith(place));
    const none = neighbour ? { ...plain, neighbour } : plain;
    if (relative || this.#hosts.has(host)) {
      const isInside = url.pathname.startsWith(this.#place);
      const path = isInside ? url.pathname.slice(this.#place.length - 1) : url.pathname;
      const kind = isInside ? 'own' : 'outside';
      return { ...none, relative, kind, path, hash: url.hash };
    }
    if (LOOPBACK.test(host)) return { ...none, kind: 'loopback' };
    return { ...none, kind: protocol === 'http:' ? 'plain' : 'elsewhere' };
  }

  /** Whether an address of this site spells out a loopback host. */
  static isLoopback({ raw }: Address): boolean {
    const url = urlOf(raw, `http://${OWN}/`);
    return url !== undefined && url.host !== OWN && LOOPBACK.test(url.host);
  }
}

export function urlOf(raw: string, base: string): URL | undefined {
  try {
    return new URL(raw, base);
  } catch {
    return undefined;
  }
}
