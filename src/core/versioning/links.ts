/** What the texts of a site refer to among the objects that get other names. */
import { AddressReader, OWN, urlOf } from '../check/address-reader.js';
import { decideTarget } from '../check/decide-target.js';
import type { Readings } from '../reading/readings.js';
import type { MappedName, Reference } from '../reading/reading.js';
import type { BucketView } from '../hosting/bucket-view.js';
import { keyToPath } from '../site/key.js';
import { KeyIndex } from '../site/near-key.js';

/** A reference to one of the objects. */
export interface Link {
  readonly reference: Reference;
  /** Its number among the references of its text, from 0. */
  readonly number: number;
  /** The number of the object. */
  readonly target: number;
  /** Whether it can never be rewritten, however it is written. */
  readonly isUncertain?: boolean;
}

/** Names that an import map gives to addresses. */
interface Mapping {
  readonly name: string;
  /** Where the page is that maps it. */
  readonly base: string;
  readonly address: string;
}

export interface LinkInput {
  /** The site under its plain names; everything in it is readable and open. */
  readonly view: BucketView;
  readonly hosts: readonly string[];
  readonly readings: Readings;
  /** The number of the object with a key, where it is one of those that get another name. */
  readonly numberOf: (key: string) => number | undefined;
}

const NO_NUMBER = -1;
const NAMES_A_PATH = /^(?:\.{0,2}\/|[a-z][a-z0-9+.-]*:)/i;

export class LinkReader {
  readonly #input: LinkInput;
  readonly #addresses: AddressReader;
  /** Keys by the path of an address; undefined where it leads to none. */
  readonly #targets = new Map<string, string | undefined>();
  readonly #mappings: Mapping[] = [];
  #index: KeyIndex | undefined;

  constructor(input: LinkInput) {
    this.#input = input;
    this.#addresses = new AddressReader(input.hosts);
  }

  /** Takes what the import map of a page maps: before any module is looked at. */
  addMapped(key: string, row: number): void {
    for (const { name, address } of this.#input.readings.facts(row).mapped ?? [])
      this.#mappings.push({ name, address, base: this.#baseOf(key, row) });
  }

  /** What a text refers to, in the order in which it does. @param row of its reading */
  *links(key: string, row: number): Generator<Link> {
    const { readings } = this.#input;
    const base = this.#baseOf(key, row);
    const at = this.#addresses.surroundings(base);
    const [from, to] = readings.range(row);
    for (let number = from; number < to; number++) {
      const raw = readings.rawNumber(number);
      const known = at.root.get(raw) ?? at.folder.get(raw);
      const text = known?.raw ?? readings.string(raw);
      // A part of the text itself.
      if (text === '' || text.startsWith('#')) continue;
      const use = readings.use(number);
      if (use === 'module' || use === 'data') {
        const reference = readings.reference(number);
        const mapped = reference.imported ? this.#mapped(text, base) : undefined;
        if (mapped) {
          for (const target of mapped.targets)
            yield { reference, number: number - from, target, isUncertain: !mapped.isCertain };
          continue;
        }
        if (reference.imported && !NAMES_A_PATH.test(text)) continue;
      }
      const { kind, path } = known ?? this.#addresses.find(text, raw, at);
      const target = kind === 'own' ? this.#targetOf(path) : undefined;
      if (target !== undefined)
        yield { reference: readings.reference(number), number: number - from, target };
    }
  }

  /** The key that an address in a text leads to, whether its object gets another name or not. */
  keyAt(key: string, row: number, raw: string): string | undefined {
    const path = this.pathAt(key, row, raw);
    return path === undefined ? undefined : this.#keyOf(path);
  }

  /** The path of an address in a text, whether there is anything or not; undefined where it leads elsewhere. */
  pathAt(key: string, row: number, raw: string): string | undefined {
    const base = this.#baseOf(key, row);
    const { kind, path } = this.#addresses.find(raw, NO_NUMBER, {
      base,
      root: new Map(),
      folder: new Map(),
    });
    return kind === 'own' ? path : undefined;
  }

  /** What a text's import map maps. */
  mapped(row: number): readonly MappedName[] {
    return this.#input.readings.facts(row).mapped ?? [];
  }

  #baseOf(key: string, row: number): string {
    const here = `http://${OWN}${keyToPath(key)}`;
    const { base } = this.#input.readings.facts(row);
    return base === undefined ? here : (urlOf(base, here)?.href ?? here);
  }

  /**
   * Where import maps lead a module's name that is mapped by its beginning; undefined where none does. A name that is
   * mapped whole is no address, and stays.
   */
  #mapped(
    specifier: string,
    base: string,
  ): { readonly targets: readonly number[]; readonly isCertain: boolean } | undefined {
    const isPath = NAMES_A_PATH.test(specifier);
    const own = isPath ? urlOf(specifier, base)?.href : undefined;
    const targets = new Set<number | undefined>();
    for (const { name, address, base: mapBase } of this.#mappings) {
      if (!name.endsWith('/')) continue;
      const prefix = isPath ? urlOf(name, mapBase)?.href : name;
      const whole = isPath ? own : specifier;
      if (prefix === undefined || !whole?.startsWith(prefix)) continue;
      const url = urlOf(whole.slice(prefix.length), urlOf(address, mapBase)?.href ?? mapBase);
      targets.add(url?.host === OWN ? this.#targetOf(url.pathname) : undefined);
    }
    if (targets.size === 0) return undefined;
    const found = [...targets].flatMap((target) => (target === undefined ? [] : [target]));
    // What is mapped although it is an address means another object than it names.
    const direct = own === undefined ? undefined : this.#targetOf(new URL(own).pathname);
    const isCertain = targets.size === 1 && (!isPath || direct === found[0]);
    return { targets: found, isCertain };
  }

  #targetOf(path: string): number | undefined {
    const key = this.#keyOf(path);
    return key === undefined ? undefined : this.#input.numberOf(key);
  }

  #keyOf(path: string): string | undefined {
    if (this.#targets.has(path)) return this.#targets.get(path);
    const { object } = decideTarget(path, this.#input.view, () => (this.#index ??= new KeyIndex([])));
    this.#targets.set(path, object?.key);
    return object?.key;
  }
}
