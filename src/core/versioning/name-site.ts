/**
 * Gives the objects of a site names with a hash of their content, innermost first, and finds every text that has to name
 * them anew. What depends on each other in a circle is hashed as one.
 */
import type { Buffer } from 'node:buffer';
import { compareKeys } from '../site/key.js';
import { listComponents } from './components.js';
import { findOccurring } from './find-occurring.js';
import { findUncertain } from './find-uncertain.js';
import { renewIntegrity } from './integrity.js';
import type { LinkReader } from './links.js';
import { listLost } from './list-lost.js';
import type { NamingInput, PlainObject, Rewritten, SiteNames, Uncertain } from './naming.js';
import { findRewriteFault, isTakenBack } from './prove-rewrite.js';
import { readAgain } from '../reading/read-again.js';
import { renameAddress, renameReference, type TextEdit } from './rename-reference.js';
import type { Span } from '../reading/reading.js';

export async function nameSite(input: NamingInput): Promise<SiteNames> {
  return new SiteNaming(input).run();
}

/** What is to be done with a text, and what it says then. */
interface Plan {
  readonly edits: TextEdit[];
  readonly meant: {
    readonly references: Map<number, string>;
    readonly mapped: Map<number, string>;
    readonly integrity: Map<number, string>;
  };
}

class SiteNaming {
  readonly #input: NamingInput;
  /** Numbers of the objects that get other names. */
  #covered: readonly number[];
  readonly #numbers = new Map<string, number>();
  readonly #links: LinkReader;
  readonly #versioned = new Map<number, string>();
  readonly #edits = new Map<number, readonly TextEdit[]>();
  readonly #rewritten = new Map<number, Rewritten>();
  readonly #uncertain: Uncertain[] = [];
  readonly #leftPlain = new Set<number>();
  /** What the references of a rewritten text say, by their numbers. */
  readonly #renamed = new Map<number, ReadonlyMap<number, string>>();
  #done = 0;

  constructor(input: NamingInput) {
    this.#input = input;
    this.#covered = input.objects.flatMap(({ key, type }, number) =>
      input.versionable.covers(key, type) ? [number] : [],
    );
    for (const number of this.#covered) this.#numbers.set(input.objects[number]?.key ?? '', number);
    this.#links = input.links((key) => this.#numbers.get(key));
  }

  async run(): Promise<SiteNames> {
    const { objects, versionable } = this.#input;
    for (const [, { key, row }] of this.#texts()) if (row !== undefined) this.#links.addMapped(key, row);
    if (this.#covered.length > 0) {
      for (const each of findUncertain(this.#input, this.#links, this.#covered)) this.#uncertain.push(each);
      this.#leavePlain();
      await this.#nameAll();
      await this.#rewriteRest();
      this.#uncertain.push(...findOccurring(this.#input, this.#versioned, this.#edits, this.#uncertain));
    }
    const keptPlain = new Set(
      this.#uncertain.flatMap(({ target }) => (this.#leftPlain.has(target) ? [] : [target])),
    );
    for (const number of this.#covered)
      if (versionable.keepsPlain(objects[number]?.key ?? '')) keptPlain.add(number);
    const lost = listLost(this.#input.objects, this.#links, {
      versioned: this.#versioned,
      renamed: this.#renamed,
      keptPlain,
    });
    return {
      versioned: this.#versioned,
      edits: this.#edits,
      rewritten: this.#rewritten,
      keptPlain,
      leftPlain: this.#leftPlain,
      uncertain: this.#uncertain,
      lost,
    };
  }

  /**
   * What a script or a page names in a text of its own may be looked for on the page by the name that it has there, so it
   * gets no other.
   */
  #leavePlain(): void {
    const { objects, readings } = this.#input;
    for (const { target, object, how } of this.#uncertain) {
      const row = object === undefined ? undefined : objects[object]?.row;
      const kind = row === undefined ? undefined : readings.facts(row).kind;
      if (how === 'name' && (kind === 'script' || kind === 'page')) this.#leftPlain.add(target);
    }
    this.#covered = this.#covered.filter((number) => !this.#leftPlain.has(number));
    for (const number of this.#leftPlain) this.#numbers.delete(objects[number]?.key ?? '');
  }

  *#texts(): Generator<readonly [number: number, object: PlainObject]> {
    for (const [number, object] of this.#input.objects.entries())
      if (object.row !== undefined) yield [number, object];
  }

  /** Names what is covered, each after all that it refers to. */
  async #nameAll(): Promise<void> {
    const { objects, versionable, digestText, digest } = this.#input;
    const place = new Map(this.#covered.map((number, at) => [number, at]));
    const edges = this.#covered.map((number) => {
      const { key = '', row } = objects[number] ?? {};
      if (row === undefined) return [];
      const targets = new Set<number>();
      for (const { target, isUncertain } of this.#links.links(key, row)) {
        const at = place.get(target);
        if (!isUncertain && at !== undefined) targets.add(at);
      }
      return [...targets];
    });
    for (const component of listComponents(edges)) {
      const members = component.flatMap((at) => this.#covered[at] ?? []);
      const [only = -1] = members;
      const isCircle = members.length > 1 || edges[component[0] ?? -1]?.includes(component[0] ?? -1) === true;
      const name = (number: number, content: string): void => {
        const key = objects[number]?.key ?? '';
        this.#versioned.set(number, versionable.form.versioned(key, content));
      };
      if (!isCircle) {
        await this.#rewrite(only);
        name(only, this.#rewritten.get(only)?.content ?? (await this.#contentOf(only)));
        continue;
      }
      const parts: string[] = [];
      for (const number of [...members].sort((a, b) => this.#compare(a, b))) {
        const bytes = await this.#input.read(number);
        // References within the circle stay as they are in what is hashed.
        const { edits } = await this.#plan(number, () => Promise.resolve(bytes));
        const outside = this.#input.rewrite(number, bytes, edits) ?? bytes;
        parts.push(`${objects[number]?.key ?? ''}\0${digest('sha256', outside, 'hex')}\n`);
      }
      const whole = digestText(parts.join(''));
      for (const number of members) name(number, digestText(`${whole}\0${objects[number]?.key ?? ''}`));
      for (const number of members) await this.#rewrite(number);
    }
  }

  #compare(a: number, b: number): number {
    const { objects } = this.#input;
    return compareKeys(objects[a]?.key ?? '', objects[b]?.key ?? '');
  }

  async #contentOf(number: number): Promise<string> {
    const known = this.#input.objects[number]?.content;
    return known ?? this.#input.digest('sha256', await this.#input.read(number), 'hex');
  }

  /** The texts that keep their names; those that demand what others are made of come last. */
  async #rewriteRest(): Promise<void> {
    const { readings } = this.#input;
    const last: number[] = [];
    for (const [number, { row = 0 }] of this.#texts()) {
      if (this.#versioned.has(number)) continue;
      if (readings.facts(row).integrity) last.push(number);
      else await this.#rewrite(number);
    }
    for (const number of last) await this.#rewrite(number);
  }

  async #rewrite(number: number): Promise<void> {
    const { row } = this.#input.objects[number] ?? {};
    this.#input.advance(++this.#done);
    if (row === undefined) return;
    let bytes: Buffer | undefined;
    const read = async (): Promise<Buffer> => (bytes ??= await this.#input.read(number));
    const plan = await this.#plan(number, read);
    await this.#planIntegrity(number, plan);
    const edits = plan.edits.sort((a, b) => a.at - b.at);
    if (edits.length === 0) return;
    let fault: string | undefined;
    const rewritten = await this.#input.publish(number, edits, async () => {
      const was = await read();
      const becomes = this.#input.rewrite(number, was, edits);
      fault = becomes ? this.#faultOf(number, was, becomes, plan) : 'its bytes are not what its charset says';
      return fault === undefined ? becomes : undefined;
    });
    if (!rewritten) return this.#leaveAlone(number, fault ?? '');
    this.#edits.set(number, edits);
    this.#renamed.set(number, plan.meant.references);
    this.#rewritten.set(number, rewritten);
  }

  /** Whether a text was rewritten as it was meant, by a reader that had no part in it. */
  #faultOf(number: number, was: Buffer, becomes: Buffer, { edits, meant }: Plan): string | undefined {
    const { objects, readings, textOf } = this.#input;
    const before = textOf(number, was);
    const after = textOf(number, becomes);
    if (before === undefined || after === undefined) return 'it is no text';
    if (!isTakenBack(before, after, edits)) return 'what surrounds the names has changed';
    const row = objects[number]?.row ?? 0;
    return findRewriteFault(readings.reading(row), readAgain(readings.facts(row).kind, after), meant);
  }

  /** A text that cannot be rewritten: what it refers to has to stay where it is. */
  #leaveAlone(object: number, because: string): void {
    const { key = '', row = 0 } = this.#input.objects[object] ?? {};
    for (const { reference, target } of this.#links.links(key, row)) {
      const { line, raw: written } = reference;
      this.#uncertain.push({ target, object, line, written, how: 'text', because });
    }
  }

  /** What changes in a text by the names that are known so far. */
  async #plan(number: number, read: () => Promise<Buffer>): Promise<Plan> {
    const { objects, textOf } = this.#input;
    const meant: Plan['meant'] = { references: new Map(), mapped: new Map(), integrity: new Map() };
    const { key = '', row = 0 } = objects[number] ?? {};
    const edits = new Map<number, TextEdit>();
    let text: string | undefined;
    /** @returns what it says then; undefined where it stays as it is */
    const rename = async (target: number, raw: string, place: Span): Promise<string | undefined> => {
      const to = this.#versioned.get(target);
      const { at, length, escaping } = place;
      if (to === undefined || at < 0) return undefined;
      // Only what is escaped is written otherwise than it reads.
      if (escaping !== undefined) text ??= textOf(number, await read());
      const written = escaping === undefined ? raw : (text ?? '').slice(at, at + length);
      const from = objects[target]?.key ?? '';
      const escaped = escaping === undefined ? {} : { escaping };
      const edit = renameReference({ at, raw, written, ...escaped }, from, to);
      if (edit) edits.set(edit.at, edit);
      return edit && renameAddress(raw, from, to);
    };
    for (const { reference, number: at, target, isUncertain } of this.#links.links(key, row)) {
      const becomes = isUncertain ? undefined : await rename(target, reference.raw, reference);
      if (becomes !== undefined) meant.references.set(at, becomes);
    }
    for (const [at, mapped] of this.#links.mapped(row).entries()) {
      const target = this.#targetNamed(key, row, mapped.name);
      const becomes = target === undefined ? undefined : await rename(target, mapped.name, mapped);
      if (becomes !== undefined) meant.mapped.set(at, becomes);
    }
    for (const { of } of this.#input.readings.facts(row).integrity ?? []) {
      const target = of && this.#targetNamed(key, row, of.raw);
      if (of && target !== undefined) await rename(target, of.raw, of);
    }
    return { edits: [...edits.values()], meant };
  }

  /** What an import map speaks of by a name that is an address; undefined for any other name. */
  #targetNamed(key: string, row: number, raw: string): number | undefined {
    if (!/^(?:\.{0,2}\/|https?:)/i.test(raw) || raw.endsWith('/')) return undefined;
    return this.#numbers.get(this.#links.keyAt(key, row, raw) ?? '');
  }

  /** Digests that a page demands of what has other bytes now. */
  async #planIntegrity(number: number, plan: Plan): Promise<void> {
    const { objects, readings, digest, read, rewrite } = this.#input;
    const { key = '', row = 0 } = objects[number] ?? {};
    const all = readings.facts(row).integrity ?? [];
    for (const [n, { reference, of, value, at, length }] of all.entries()) {
      const raw = of ? of.raw : readings.string(readings.rawNumber(readings.range(row)[0] + reference));
      const target = this.#numberAt(this.#links.keyAt(key, row, raw));
      const changes = target === undefined ? undefined : this.#edits.get(target);
      if (target === undefined || !changes || at < 0) continue;
      const was = await read(target);
      const becomes = rewrite(target, was, changes);
      const text = becomes && renewIntegrity(value, was, becomes, digest);
      if (text === undefined || text === value) continue;
      plan.edits.push({ at, length, text });
      plan.meant.integrity.set(n, text);
    }
  }

  /** The number of any object. */
  #numberAt(key: string | undefined): number | undefined {
    if (key === undefined) return undefined;
    const { objects } = this.#input;
    let [low, high] = [0, objects.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if (compareKeys(objects[middle]?.key ?? '', key) < 0) low = middle + 1;
      else high = middle;
    }
    return objects[low]?.key === key ? low : undefined;
  }
}
