/** Reads a release object by object and resolves every reference in it; only what rules need is kept. */
import type { BucketView } from '../hosting/bucket-view.js';
import { isPage } from '../assign/defaults.js';
import { Places } from '../findings/places.js';
import { KeyIndex } from '../site/near-key.js';
import { keyToPath } from '../site/key.js';
import type { StoredObject } from '../site/site-object.js';
import { decideTarget, type Target } from './decide-target.js';
import { fragmentOf, hashOf } from './fragments.js';
import { readObject, readingKind } from './reading/read-object.js';
import type { Reading, ReadingKind, Reference } from './reading/reading.js';
import {
  isLoad,
  type FaultyReference,
  type Load,
  type ReleaseContext,
  type Spot,
  type Trouble,
  type UsedAddress,
} from './release-context.js';

export interface ReleaseInput {
  /** The release as it is once its bucket is open. */
  readonly view: BucketView;
  /** In key order. */
  readonly objects: readonly StoredObject[];
  /** The public address of the site, with its closing slash. */
  readonly address: string;
  /** Hosts with their ports at which this site is or will be reached. */
  readonly hosts: readonly string[];
  readonly typeLine: ReleaseContext['typeLine'];
}

/** Stands for the site's own host; reserved, so no page can mean it (RFC 2606). */
const OWN = 'site.invalid';
const LOOPBACK = /^(?:localhost|.*\.localhost|127\.\d+\.\d+\.\d+|0\.0\.0\.0|\[::1\])(?::\d+)?$/;
const MOST_SPOTS = 200;

export class ReleaseReader {
  readonly #input: ReleaseInput;
  readonly #hosts: ReadonlySet<string>;
  readonly #targets = new Map<string, Target>();
  readonly #addresses: UsedAddress[] = [];
  readonly #links = new Map<string, FaultyReference>();
  readonly #loads = new Map<string, Load>();
  readonly #anchors = new Map<string, Uint32Array>();
  readonly #fragments = new Map<string, FaultyReference & { readonly hash: number }>();
  readonly #imports = new Map<string, readonly Reference[]>();
  /** The places of what was noted of the reference at hand. */
  #noted: Places[] = [];
  readonly #features: Spot[] = [];
  readonly #serverCode: Spot[] = [];
  readonly #faults: (Spot & { kind: ReadingKind })[] = [];
  readonly #documents: { index?: Reading; error?: Reading } = {};
  #index: KeyIndex | undefined;
  #importMap = false;

  constructor(input: ReleaseInput) {
    this.#input = input;
    this.#hosts = new Set(input.hosts);
  }

  /** How an object has to be given to `add`; undefined where there is nothing to read in it. */
  kindOf(object: StoredObject): ReadingKind | undefined {
    return readingKind(object);
  }

  /** Reads one object. @param text its bytes, decoded */
  add(object: StoredObject, kind: ReadingKind, text: string): void {
    const reading = readObject(kind, text);
    const { key } = object;
    const { documents } = this.#input.view.settings;
    if (key === documents.index) this.#documents.index = reading;
    if (key === documents.error) this.#documents.error = reading;
    if (reading.importMap) this.#importMap = true;
    for (const { feature, line } of reading.secureFeatures ?? [])
      if (this.#features.length < MOST_SPOTS) this.#features.push({ key, line, what: feature });
    if (reading.serverCode && this.#serverCode.length < MOST_SPOTS)
      this.#serverCode.push({ key, line: reading.serverCode.line, what: reading.serverCode.what });
    if (reading.fault)
      this.#faults.push({ key, kind, line: reading.fault.line, what: reading.fault.because });
    if (reading.anchors && reading.anchors.size > 0)
      this.#anchors.set(key, Uint32Array.from(reading.anchors, hashOf));
    this.resolveAll(key, kind, reading);
  }

  finish(): ReleaseContext {
    this.followImports();
    for (const [id, link] of this.#fragments) {
      if (!this.#anchors.get(link.key ?? '')?.includes(link.hash)) this.#links.set(id, link);
    }
    const { view, objects, address, typeLine } = this.#input;
    return {
      view,
      objects,
      address,
      typeLine,
      index: this.index(),
      links: [...this.#links.values()],
      loads: [...this.#loads.values()],
      addresses: this.#addresses,
      documents: this.#documents,
      secureFeatures: this.#features,
      serverCode: this.#serverCode,
      faults: this.#faults,
    };
  }

  private index(): KeyIndex {
    return (this.#index ??= new KeyIndex(this.#input.objects.map(({ key }) => key)));
  }

  private resolveAll(
    key: string,
    kind: ReadingKind,
    { references, base, anchors, quirksMode }: Reading,
  ): void {
    const here = `http://${OWN}${keyToPath(key)}`;
    const baseUrl = base === undefined ? here : (urlOf(base, here)?.href ?? here);
    const done = new Map<string, readonly Places[]>();
    for (const reference of references) {
      const { use, raw } = reference;
      // Scripts import only once a page makes modules of them.
      if (kind === 'script' && (use === 'module' || use === 'data')) continue;
      if (raw === '' && use !== 'form') continue;
      if (raw.startsWith('#') && base === undefined && use !== 'form') {
        if (anchors) this.ownFragment(key, reference, anchors);
        continue;
      }
      const id = `${use}\0${reference.declared ?? ''}\0${raw}`;
      const known = done.get(id);
      if (known) for (const places of known) places.add(key, reference.line);
      else {
        this.#noted = [];
        this.resolveOne(key, reference, baseUrl, quirksMode ?? false);
        done.set(id, this.#noted);
      }
    }
    if (kind === 'script') {
      const imports = references.filter(({ use }) => use === 'module' || use === 'data');
      if (imports.length > 0) this.#imports.set(key, imports);
    }
  }

  private resolveOne(from: string, reference: Reference, base: string, quirksMode: boolean): void {
    const { use, raw } = reference;
    if (reference.imported && !/^(?:\.{0,2}\/|[a-z][a-z0-9+.-]*:)/i.test(raw)) {
      if (!this.#importMap) this.note('bare', from, reference, '');
      return;
    }
    if (/^[a-z]:[\\/]/i.test(raw) || /^file:/i.test(raw)) return this.note('disk', from, reference, '');
    const url = urlOf(raw, base);
    if (!url) return this.note('malformed', from, reference, '');
    if (url.protocol !== 'http:' && url.protocol !== 'https:') return;
    const relative = url.host === OWN;
    const loopback = !relative && LOOPBACK.test(url.host);
    const own = relative || this.#hosts.has(url.host);
    if (!own) {
      if (loopback) this.note('endpoint', from, reference, '');
      else if (url.protocol === 'http:' && isLoad(use)) this.note('insecure', from, reference, '');
      return;
    }
    const path = url.pathname;
    const target = this.target(path, from, reference);
    if (reference.method !== undefined) return this.note('post', from, reference, path, target.key);
    if (target.trouble) return this.note(target.trouble, from, reference, path, target.key, target.detail);
    if (!relative && (loopback || use !== 'identity'))
      this.note('endpoint', from, reference, path, target.key);
    const { object } = target;
    if (!object) return;
    if (isLoad(use)) this.load(from, reference, object, quirksMode);
    if (url.hash.length > 1 && (use === 'link' || use === 'frame'))
      this.otherFragment(from, reference, path, object, url.hash);
  }

  /** What an address of this site leads to; each is resolved once. */
  private target(path: string, from: string, { line, raw }: Reference): Target {
    const known = this.#targets.get(path);
    if (known) return known;
    this.#addresses.push({ path, from, line, raw: copyOf(raw) });
    const target = decideTarget(path, this.#input.view, () => this.index());
    this.#targets.set(path, target);
    return target;
  }

  private load(
    from: string,
    { use, line, declared, withoutCors }: Reference,
    object: StoredObject,
    quirksMode: boolean,
  ): void {
    const id = `${use}\0${declared ?? ''}\0${withoutCors ? 1 : 0}\0${object.key}`;
    const known = this.#loads.get(id);
    const places = this.place(known, from, line);
    if (!known)
      this.#loads.set(id, {
        use,
        object,
        quirksMode,
        from,
        line,
        places,
        withoutCors: withoutCors ?? false,
        ...(declared === undefined ? {} : { declared: copyOf(declared) }),
      });
  }

  private ownFragment(key: string, reference: Reference, anchors: ReadonlySet<string>): void {
    const fragment = fragmentOf(reference.raw);
    if (fragment !== undefined && !anchors.has(fragment))
      this.note('fragment', key, reference, keyToPath(key), key, fragment);
  }

  private otherFragment(
    from: string,
    reference: Reference,
    path: string,
    { key, headers }: StoredObject,
    hash: string,
  ): void {
    const detail = fragmentOf(hash);
    if (detail === undefined || !isPage(headers['Content-Type'] ?? '')) return;
    const id = `fragment\0${path}\0${detail}`;
    const known = this.#fragments.get(id);
    const { use, line } = reference;
    const places = this.place(known, from, line);
    if (!known) {
      const raw = copyOf(reference.raw);
      const link = { trouble: 'fragment', use, raw, from, line, places, path, key, detail } as const;
      this.#fragments.set(id, { ...link, hash: hashOf(detail) });
    }
  }

  private note(
    trouble: Trouble,
    from: string,
    reference: Reference,
    path: string,
    key?: string,
    detail?: string,
  ): void {
    const { use, raw, line } = reference;
    // A map of sources is for developers, what an error page loads has a rule of its own, and neither speaks for other places.
    const unstyled = isLoad(use) && from === this.#input.view.settings.documents.error;
    const group = use === 'source map' ? use : unstyled ? 'error page' : '';
    const id = [trouble, path === '' ? raw : path, detail ?? '', group].join('\0');
    const known = this.#links.get(id);
    const places = this.place(known, from, line);
    if (known) return;
    this.#links.set(id, {
      trouble,
      use,
      raw: copyOf(raw),
      from,
      line,
      places,
      path,
      ...(key === undefined ? {} : { key }),
      ...(detail === undefined ? {} : { detail }),
    });
  }

  /** One more place of something that is known, or its first. */
  private place(known: { readonly places: Places } | undefined, from: string, line: number): Places {
    const places = (known?.places ?? new Places()).add(from, line);
    this.#noted.push(places);
    return places;
  }

  /** Goes from the modules that pages load to all that those import. */
  private followImports(): void {
    const seen = new Set<string>();
    const queue = [...this.#loads.values()].flatMap(({ use, object }) =>
      use === 'module' ? [object.key] : [],
    );
    for (let key = queue.pop(); key !== undefined; key = queue.pop()) {
      if (seen.has(key)) continue;
      seen.add(key);
      const base = `http://${OWN}${keyToPath(key)}`;
      for (const reference of this.#imports.get(key) ?? []) {
        this.resolveOne(key, reference, base, false);
        const target = reference.use === 'module' ? urlOf(reference.raw, base) : undefined;
        const object = target?.host === OWN ? this.#targets.get(target.pathname)?.object : undefined;
        if (object) queue.push(object.key);
      }
    }
  }
}

function urlOf(raw: string, base: string): URL | undefined {
  try {
    return new URL(raw, base);
  } catch {
    return undefined;
  }
}

/** A copy that does not keep the whole page alive, of which the text is a slice. */
const copyOf = (text: string): string => Buffer.from(text, 'utf16le').toString('utf16le');
