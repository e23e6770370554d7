/** Reads a release object by object and resolves every reference in it; only what rules need is kept. */
import { isAppCopy } from '../hosting/app-page.js';
import { pageOfCopy } from '../hosting/folder-copy.js';
import type { BucketView } from '../hosting/bucket-view.js';
import { isPage } from '../assign/defaults.js';
import { refusalOf, type Neighbour } from './neighbour.js';
import { Places } from '../findings/places.js';
import { KeyIndex } from '../site/near-key.js';
import { keyToPath } from '../site/key.js';
import { hasVersionQuery } from '../site/names.js';
import type { StoredObject } from '../site/site-object.js';
import { AddressReader, urlOf, type Address, type AddressReaderInput } from './address-reader.js';
import { decideTarget, type Target } from './decide-target.js';
import { fragmentOf, hashOf } from '../reading/fragments.js';
import { Loads } from './loads.js';
import { FaultyReferences, type Found } from './faulty-references.js';
import { addText, elementsIn, recallText, type TextRows } from './text-rows.js';
import { readingKind } from '../reading/reading-kind.js';
import { Readings } from '../reading/readings.js';
import type { Reading, ReadingKind, Use } from '../reading/reading.js';
import {
  isLoad,
  type FaultyReference,
  type NeededPage,
  type ReleaseContext,
  type Location,
  type TargetProblem,
  type UsedAddress,
} from './release-context.js';

export interface ReleaseInput {
  /** The release as it is once its bucket is open. */
  readonly view: BucketView;
  /** In key order. */
  readonly objects: readonly StoredObject[];
  /** The public address of the site, with its closing slash. */
  readonly address: string;
  /** The folder of the bucket that the site lies in, with its closing slash; '' at the root. */
  readonly under: string;
  /** The path of its host below which the site lies, with its closing slash; the root unless it is said. */
  readonly place?: string | undefined;
  /** Hosts with their ports at which this site is or will be reached. */
  readonly hosts: readonly string[];
  /** Other buckets that its pages may load from, and the origins that the pages have. */
  readonly neighbours?: readonly Neighbour[];
  readonly origins?: readonly string[];
  readonly typeRule: ReleaseContext['typeRule'];
  readonly bytesAre: ReleaseContext['bytesAre'];
}

const foundAt = (path: string, { key }: Target, detail?: string): Found => ({
  path,
  ...(key === undefined ? {} : { key }),
  ...(detail === undefined ? {} : { detail }),
});

const MAX_SPOTS = 200;

/** Where references stand. */
interface RelatedLocations extends AddressReaderInput {
  readonly from: string;
  readonly quirksMode: boolean;
}

export class ReleaseReader {
  readonly #input: ReleaseInput;
  readonly #readings: Readings;
  readonly #addressReader: AddressReader;
  readonly #targets = new Map<string, Target>();
  readonly #addresses: UsedAddress[] = [];
  readonly #links = new FaultyReferences();
  readonly #loads = new Loads();
  readonly #withQuery = new Set<string>();
  readonly #withoutQuery = new Set<string>();
  readonly #anchors = new Map<string, Uint32Array>();
  readonly #anchorSets = new Map<string, ReadonlySet<number>>();
  readonly #fragments = new Map<string, FaultyReference & { readonly hash: number }>();
  /** The readings of scripts that import something. */
  readonly #imports = new Map<string, number>();
  readonly #pages: NeededPage[] = [];
  readonly #features: Location[] = [];
  readonly #serverCode: Location[] = [];
  readonly #faults: (Location & { kind: ReadingKind })[] = [];
  readonly #documents: { index?: Reading; error?: Reading; readonly apps: Map<string, Reading> } = {
    apps: new Map(),
  };
  #index: KeyIndex | undefined;
  #importMap = false;

  /** @param readings what is known of texts already; it is added to */
  constructor(input: ReleaseInput, readings = new Readings()) {
    this.#input = input;
    this.#readings = readings;
    this.#addressReader = new AddressReader(input.hosts, input.place, input.neighbours);
  }

  /** How an object has to be given to `add`; undefined where there is nothing to read in it, or it is read elsewhere. */
  kindOf(object: StoredObject): ReadingKind | undefined {
    const { view } = this.#input;
    return isAppCopy(view, object.key) || pageOfCopy(view, object.key) ? undefined : readingKind(object);
  }

  /** Takes one object that was read before. @param id names its text among the readings @returns whether it was */
  recall(object: StoredObject, kind: ReadingKind, id: string): boolean {
    const rows = recallText(this.#readings, kind, id);
    if (rows) this.addReading(object, kind, rows);
    return rows !== undefined;
  }

  /** Reads one object. @param text its bytes, decoded @param id names the text among the readings */
  add(object: StoredObject, kind: ReadingKind, text: string, id = object.key): void {
    this.addReading(object, kind, addText(this.#readings, kind, id, text));
  }

  private addReading({ key }: StoredObject, kind: ReadingKind, { row, needed }: TextRows): void {
    const readings = this.#readings;
    if (needed !== undefined)
      this.#pages.push({ key, elements: (name) => elementsIn(readings, needed, name) });
    const facts = readings.facts(row);
    const { documents, apps } = this.#input.view.settings;
    if (apps?.some(({ page }) => page === key)) this.#documents.apps.set(key, readings.reading(row));
    if (key === documents.index) this.#documents.index = readings.reading(row);
    if (key === documents.error) this.#documents.error = readings.reading(row);
    if (facts.importMap) this.#importMap = true;
    for (const { feature, line } of facts.secureFeatures ?? [])
      if (this.#features.length < MAX_SPOTS) this.#features.push({ key, line, what: feature });
    if (facts.serverCode && this.#serverCode.length < MAX_SPOTS)
      this.#serverCode.push({ key, line: facts.serverCode.line, what: facts.serverCode.what });
    if (facts.fault) this.#faults.push({ key, kind, line: facts.fault.line, what: facts.fault.because });
    const anchors = readings.anchors(row);
    if (anchors.length > 0) this.#anchors.set(key, anchors);
    this.resolveAll(key, kind, row);
  }

  finish(): ReleaseContext {
    this.followImports();
    for (const [id, link] of this.#fragments)
      if (!this.anchorsOf(link.key ?? '').has(link.hash)) this.#links.add(id, link);
    const { view, objects, address, under, place = '/', typeRule, bytesAre } = this.#input;
    return {
      view,
      objects,
      address,
      under,
      place,
      typeRule,
      bytesAre,
      index: this.index(),
      links: this.#links.all(),
      loads: this.#loads.all(),
      versionedByQuery: new Set([...this.#withQuery].filter((key) => !this.#withoutQuery.has(key))),
      addresses: this.#addresses,
      documents: this.#documents,
      secureFeatures: this.#features,
      serverCode: this.#serverCode,
      faults: this.#faults,
      pages: this.#pages,
    };
  }

  private index(): KeyIndex {
    const { objects, under } = this.#input;
    return (this.#index ??= new KeyIndex(
      objects.map(({ key }) => key),
      under,
    ));
  }

  private anchorsOf(key: string): ReadonlySet<number> {
    let anchors = this.#anchorSets.get(key);
    if (!anchors) this.#anchorSets.set(key, (anchors = new Set(this.#anchors.get(key))));
    return anchors;
  }

  private standing(from: string, base: string, quirksMode = false): RelatedLocations {
    return { from, quirksMode, ...this.#addressReader.surroundings(base) };
  }

  private resolveAll(key: string, kind: ReadingKind, row: number): void {
    const readings = this.#readings;
    const { base, quirksMode, kind: readAs } = readings.facts(row);
    const here = this.#addressReader.addressOf(key);
    const at = this.standing(
      key,
      base === undefined ? here : (urlOf(base, here)?.href ?? here),
      quirksMode ?? false,
    );
    const [from, to] = readings.range(row);
    for (let reference = from; reference < to; reference++) {
      const use = readings.use(reference);
      // Scripts import only once a page makes modules of them.
      if (kind === 'script' && (use === 'module' || use === 'data')) {
        this.#imports.set(key, row);
        continue;
      }
      const number = readings.rawNumber(reference);
      const known = at.root.get(number) ?? at.folder.get(number);
      const raw = known?.raw ?? readings.string(number);
      if (use !== 'form') {
        if (raw === '') continue;
        if (base === undefined && raw.startsWith('#')) {
          if (readAs === 'page') this.ownFragment(at, reference, raw);
          continue;
        }
      }
      this.resolveOne(at, reference, use, known ?? this.#addressReader.find(raw, number, at));
    }
  }

  private resolveOne(at: RelatedLocations, reference: number, use: Use, address: Address): void {
    const { kind, raw } = address;
    if (use === 'module' || use === 'data') {
      const { imported } = this.#readings.reference(reference);
      if (imported && !/^(?:\.{0,2}\/|[a-z][a-z0-9+.-]*:)/i.test(raw)) {
        if (!this.#importMap) this.note('bare', at, reference, address);
        return;
      }
    }
    if (address.neighbour) {
      const { origins = [] } = this.#input;
      const refusal = refusalOf(address.neighbour, this.#readings.reference(reference), origins);
      if (refusal) return this.note('not-shared', at, reference, address, { refusal });
    }
    if (kind !== 'own') {
      if (kind === 'disk' || kind === 'malformed') this.note(kind, at, reference, address);
      else if (kind === 'loopback') this.note('endpoint', at, reference, address);
      else if (kind === 'outside') this.noteOutside(at, reference, address);
      else if (kind === 'plain' && isLoad(use)) this.note('insecure', at, reference, address);
      return;
    }
    const { path, relative } = address;
    const target = (address.target ??= this.target(address, at, reference));
    if (use === 'form' && this.#readings.reference(reference).method !== undefined)
      return this.note('post', at, reference, address, foundAt(path, target));
    if (target.problem)
      return this.note(target.problem, at, reference, address, foundAt(path, target, target.detail));
    if (!relative && (use !== 'identity' || AddressReader.isLoopback(address)))
      this.note('endpoint', at, reference, address, foundAt(path, target));
    const { object } = target;
    if (!object) return;
    if (isLoad(use)) {
      // Each address is new once.
      if (!address.loads)
        (hasVersionQuery(address.raw) ? this.#withQuery : this.#withoutQuery).add(object.key);
      this.#loads.add(this.#readings, reference, address, object, at);
    }
    if (address.hash.length > 1 && (use === 'link' || use === 'frame'))
      this.otherFragment(at, reference, use, address, object);
  }

  /** Of the root of the host only what the site has is its own matter. */
  private noteOutside(at: RelatedLocations, reference: number, address: Address): void {
    const { path } = address;
    const target = decideTarget(path, this.#input.view, () => this.index());
    if (target.object ?? (target.problem === 'folder' && path))
      this.note('outside', at, reference, address, { path });
  }

  /** What an address of this site leads to; each is resolved once. */
  private target({ path, raw }: Address, { from }: RelatedLocations, reference: number): Target {
    const known = this.#targets.get(path);
    if (known) return known;
    this.#addresses.push({ path, from, line: this.#readings.line(reference), raw });
    const { view } = this.#input;
    const found = decideTarget(path, view, () => this.index());
    const page = found.object && pageOfCopy(view, found.object.key);
    const target = page ? { ...found, key: page.key, object: page } : found;
    this.#targets.set(path, target);
    return target;
  }

  private ownFragment(at: RelatedLocations, reference: number, raw: string): void {
    const { from: key } = at;
    const fragment = this.#addressReader.ownFragment(raw, this.#readings.rawNumber(reference));
    if (!fragment || this.anchorsOf(key).has(fragment.hash)) return;
    const address = { raw, kind: 'own', relative: true, path: keyToPath(key), hash: raw } as const;
    this.note('fragment', at, reference, address, { path: address.path, key, detail: fragment.text });
  }

  private otherFragment(
    { from }: RelatedLocations,
    reference: number,
    use: Use,
    address: Address,
    { key, headers }: StoredObject,
  ): void {
    const line = this.#readings.line(reference);
    if (address.fragment === undefined) {
      const { path, raw } = address;
      const detail = fragmentOf(address.hash);
      if (detail === undefined || !isPage(headers['Content-Type'] ?? '')) address.fragment = null;
      else {
        const id = `fragment\0${path}\0${detail}`;
        const known = this.#fragments.get(id);
        const places = known?.places ?? new Places();
        address.fragment = places;
        if (!known) {
          const link = { problem: 'fragment', use, raw, from, line, places, path, key, detail } as const;
          this.#fragments.set(id, { ...link, hash: hashOf(detail) });
        }
      }
    }
    address.fragment?.add(from, line);
  }

  private note(
    problem: TargetProblem,
    { from }: RelatedLocations,
    reference: number,
    { raw }: Address,
    found: Found = {},
  ): void {
    const use = this.#readings.use(reference);
    const line = this.#readings.line(reference);
    // A map of sources is for developers, what an error page loads has a rule of its own, and neither speaks for other places.
    const unstyled = isLoad(use) && from === this.#input.view.settings.documents.error;
    const group = use === 'source map' ? use : unstyled ? 'error page' : '';
    this.#links.note({ problem, use, raw, from, line, path: '', ...found }, group);
  }

  /** Goes from the modules that pages load to all that those import. */
  private followImports(): void {
    const readings = this.#readings;
    const seen = new Set<string>();
    const queue = this.#loads.all().flatMap(({ use, object }) => (use === 'module' ? [object.key] : []));
    for (let key = queue.pop(); key !== undefined; key = queue.pop()) {
      if (seen.has(key)) continue;
      seen.add(key);
      const row = this.#imports.get(key);
      if (row === undefined) continue;
      const at = this.standing(key, this.#addressReader.addressOf(key));
      const [from, to] = readings.range(row);
      for (let reference = from; reference < to; reference++) {
        const use = readings.use(reference);
        if (use !== 'module' && use !== 'data') continue;
        const number = readings.rawNumber(reference);
        const address = this.#addressReader.find(readings.string(number), number, at);
        this.resolveOne(at, reference, use, address);
        if (use === 'module' && address.relative && address.target?.object)
          queue.push(address.target.object.key);
      }
    }
  }
}
