/** What the declarations that win come to at an element, names in them included. */
import { computeCustom, isCustom, substitute, type CustomValues, type Work } from './custom-values.js';
import type { Property } from './style-properties.js';
import type { Registered } from './style-rules.js';
import { urlsOf } from './style-urls.js';
import type { AppliedSheet } from './style-index.js';
import type { Winners } from './winning-rules.js';

/** What a declaration comes to at an element. */
export interface Used {
  readonly value: string;
  readonly urls: readonly string[];
  readonly base: string;
}

/** What the winners of an element, or of a part of it, come to; names in them stand for what they do there. */
export class Computed {
  readonly #winners: Winners;
  readonly #registered: ReadonlyMap<string, Registered>;
  readonly #work: Work;
  readonly custom: CustomValues;

  /** @param registered names with values of their own */
  constructor(
    winners: Winners,
    above: CustomValues,
    registered: ReadonlyMap<string, Registered>,
    work: Work,
  ) {
    this.#winners = winners;
    this.#registered = registered;
    const own = new Map<string, string>();
    for (const [property, { declaration }] of winners)
      if (isCustom(property)) own.set(property, declaration.value);
    this.custom = computeCustom(own, inheritable(above, registered), work);
    this.#work = work;
  }

  /** Undefined where nothing is declared, or what is declared is invalid here. */
  get(property: Property): Used | undefined {
    const winner = this.#winners.get(property);
    if (!winner) return undefined;
    const { declaration, base } = winner;
    if (declaration.names.length === 0) return { value: declaration.value, urls: declaration.urls, base };
    if ((this.#work.left -= declaration.value.length) < 0) return undefined;
    const value = substitute(
      declaration.value,
      (name) => this.custom.get(name) ?? this.#registered.get(name)?.initial,
    );
    return value === undefined ? undefined : { value, urls: urlsOf(value), base };
  }

  value(property: Property): string | undefined {
    return this.get(property)?.value.trim();
  }
}

/** What is inherited of names: some are registered as not to be. */
function inheritable(above: CustomValues, registered: ReadonlyMap<string, Registered>): CustomValues {
  if (registered.size === 0 || above.size === 0) return above;
  return new Map([...above].filter(([name]) => registered.get(name)?.inherits !== false));
}

/** Names that sheets register, the last of each. */
export const registeredIn = (sheets: readonly AppliedSheet[]): Map<string, Registered> =>
  new Map(sheets.flatMap(({ sheet }) => sheet.registered.map((each) => [each.name, each] as const)));
