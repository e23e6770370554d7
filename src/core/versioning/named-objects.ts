/** Which objects a name in a text may mean. */
import { fileName } from '../site/key.js';
import type { NamedFile } from '../reading/names-in-text.js';

export class NamedObjects {
  readonly #keys: readonly string[];
  readonly #byName = new Map<string, number[]>();

  /** @param keys of the objects that get other names */
  constructor(keys: readonly string[]) {
    this.#keys = keys;
    for (const [number, key] of keys.entries()) {
      const name = fileName(key);
      const known = this.#byName.get(name);
      if (known) known.push(number);
      else this.#byName.set(name, [number]);
    }
  }

  /** The numbers of all that a name may mean, wherever it is relative to. */
  meantBy({ name, behind }: Pick<NamedFile, 'name' | 'behind'>): readonly number[] {
    if (behind !== undefined) return this.#between(pathOf(name), pathOf(behind));
    const path = pathOf(name);
    return (this.#byName.get(fileName(path)) ?? []).filter((number) => {
      const key = this.#keys[number] ?? '';
      return key === path || key.endsWith(`/${path}`);
    });
  }

  #between(head: string, tail: string): number[] {
    // With neither a folder nor the end of a name it may be anything, and is a text more often than an address.
    if (head === '' && !tail.includes('.')) return [];
    return this.#keys.flatMap((key, number) => {
      if (!key.endsWith(tail)) return [];
      for (let at = 0; ; at++) {
        if (key.startsWith(head, at) && key.length >= at + head.length + tail.length) return [number];
        at = key.indexOf('/', at);
        if (at < 0) return [];
      }
    });
  }
}

/** A written address without what says where it begins, and without its query. */
function pathOf(written: string): string {
  const path = written
    .replace(/^[a-z][a-z0-9+.-]*:\/\/[^/]*/i, '')
    .split(/[?#]/, 1)
    .join('')
    .replace(/^(?:\.{0,2}\/)+/, '');
  const deep = path.lastIndexOf('/../');
  const rest = deep < 0 ? path : path.slice(deep + 4);
  try {
    return decodeURIComponent(rest).normalize('NFC');
  } catch {
    return rest;
  }
}
