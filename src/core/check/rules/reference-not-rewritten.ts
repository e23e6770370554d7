import type { FindingLocation } from '../../findings/finding.js';
import type { UncertainName } from '../../versioning/uncertain-name.js';
import { elsewhere, makeRule, type Remark, type SurveyContext } from '../rule.js';

const WHERE: Readonly<Record<UncertainName['how'], string>> = {
  name: 'in a text of its own, which only what reads it could follow',
  pieces: 'in pieces that a script puts together',
  place: 'in a way that cannot be rewritten for certain',
  moved: 'as the target of a moved address',
  occurs: 'where no browser reads an address',
  text: 'in a text that could not be rewritten as it was meant, and stays as it is',
};

/** What naming the objects has found; one finding for each object, at the first place that names it. */
export const referenceNotRewritten = makeRule<Pick<SurveyContext, 'uncertain'>>(
  {
    name: 'reference-not-rewritten',
    level: 'note',
    explain:
      'Something names an object that `versioned` covers, and nobody can tell for certain how it would have to be rewritten. The object keeps its plain name, so that nothing breaks: alone where a script or a page names it in a text of its own, since a script may look for it on the page by that name, else beside the versioned one.',
    example: 'fetch("assets/tides.json") in a script, with `versioned: assets/**`',
    fix: 'Write the address where a browser reads it, or as new URL("…", import.meta.url) in a module; or take the object out of `versioned`.',
  },
  function* ({ uncertain = [] }) {
    const byKey = new Map<string, UncertainName[]>();
    for (const name of uncertain) {
      const known = byKey.get(name.key);
      if (known) known.push(name);
      else byKey.set(name.key, [name]);
    }
    for (const [key, [first, ...others]] of byKey) if (first) yield describe(key, first, others);
  },
);

function describe(key: string, first: UncertainName, others: readonly UncertainName[]): Remark {
  const isSaid = new Set([placeOf(first)]);
  const places = others.flatMap((name): FindingLocation[] => {
    if (name.from === undefined || isSaid.has(placeOf(name))) return [];
    isSaid.add(placeOf(name));
    return [{ key: name.from, line: name.line ?? 1 }];
  });
  return {
    ...(first.from === undefined ? {} : { key: first.from }),
    ...(first.line === undefined ? {} : { line: first.line }),
    about: key,
    message: `names ${key} as "${first.written}" ${WHERE[first.how]}${first.because === undefined ? '' : ` (${first.because})`}: it keeps its plain name ${first.becomes === undefined ? 'alone' : `beside ${first.becomes}`}`,
    fix:
      first.how === 'moved'
        ? 'let the address lead to what keeps its name, or leave it so'
        : first.how === 'text'
          ? 'nothing has to be done; tell us of the text, so that it can be rewritten'
          : 'write it as new URL("…", import.meta.url) in a module or in an attribute that browsers read, or take it out of versioned',
    ...elsewhere(places),
  };
}

const placeOf = ({ from, line }: UncertainName): string => `${from ?? ''}:${line ?? 0}`;
