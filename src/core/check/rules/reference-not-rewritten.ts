import type { Finding, Place } from '../../findings/finding.js';
import { elsewhere, siteRule, type RuleHead } from '../rule.js';

/** Something that names an object which has a versioned name, and cannot be rewritten with certainty. */
export interface UncertainName {
  /** The object's plain key. */
  readonly key: string;
  /** Its key under its versioned name. */
  readonly becomes: string;
  /** As it is written. */
  readonly written: string;
  readonly how: 'name' | 'pieces' | 'place' | 'moved';
  /** The text that it stands in; absent for a moved address of the config. */
  readonly from?: string;
  readonly line?: number;
}

const HEAD = {
  name: 'reference-not-rewritten',
  level: 'note',
  explain:
    'Something names an object that gets a versioned name, and nobody can tell for certain how it would have to be rewritten: the object stands under its plain name too, so that nothing breaks.',
  example: 'fetch("assets/tides.json") in a script, with `versioned: assets/**`',
  fix: 'Write the address where a browser reads it, or as new URL("…", import.meta.url) in a module; or take the object out of `versioned`.',
} as const satisfies RuleHead;

const WHERE: Readonly<Record<UncertainName['how'], string>> = {
  name: 'in a text of its own, which only what reads it could follow',
  pieces: 'in pieces that a script puts together',
  place: 'in a way that cannot be rewritten for certain',
  moved: 'as the target of a moved address',
};

/** One finding for each object, at the first place that names it. */
export function listUncertain(names: readonly UncertainName[]): Finding[] {
  const byKey = new Map<string, UncertainName[]>();
  for (const name of names) {
    const known = byKey.get(name.key);
    if (known) known.push(name);
    else byKey.set(name.key, [name]);
  }
  return [...byKey].flatMap(([key, [first, ...others]]) => {
    if (!first) return [];
    const places = others.flatMap(({ from, line = 1 }): Place[] =>
      from === undefined ? [] : [{ key: from, line }],
    );
    const isSaid = new Set([`${first.from}:${first.line}`]);
    const elsewhereThan = places.filter(({ key: at, line }) => {
      const place = `${at}:${line}`;
      return !isSaid.has(place) && isSaid.add(place);
    });
    return [
      {
        rule: HEAD.name,
        level: HEAD.level,
        ...(first.from === undefined ? {} : { key: first.from }),
        ...(first.line === undefined ? {} : { line: first.line }),
        about: key,
        message: `names ${key} as "${first.written}" ${WHERE[first.how]}: it keeps its plain name beside ${first.becomes}`,
        fix:
          first.how === 'moved'
            ? 'let the address lead to what keeps its name, or leave it so'
            : 'write it as new URL("…", import.meta.url) in a module or in an attribute that browsers read, or take it out of versioned',
        ...elsewhere(elsewhereThan),
      },
    ];
  });
}

/** What naming the objects has found is known before the rules look at the site. */
export const referenceNotRewritten = siteRule(HEAD, () => []);
