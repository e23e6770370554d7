/** References with something wrong, each once for its address and its fault, with all the places that have it. */
import { Places } from '../findings/places.js';
import type { FaultyReference } from './release-context.js';

/** What is known of where one leads. */
export type Found = Partial<Pick<FaultyReference, 'path' | 'key' | 'detail' | 'refusal'>>;

export class FaultyReferences {
  readonly #links = new Map<string, FaultyReference>();

  /** @param group what is spoken of apart from others of the same address */
  note(link: Omit<FaultyReference, 'places'>, group: string): void {
    const { problem, path, raw, detail = '', from, line } = link;
    const id = [problem, path === '' ? raw : path, detail, group].join('\0');
    let known = this.#links.get(id);
    if (!known) this.#links.set(id, (known = { ...link, places: new Places() }));
    known.places.add(from, line);
  }

  /** @param id of what was put together elsewhere */
  add(id: string, link: FaultyReference): void {
    this.#links.set(id, link);
  }

  all(): readonly FaultyReference[] {
    return [...this.#links.values()];
  }
}
