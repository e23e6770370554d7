import { parsePattern } from '../../assign/pattern.js';
import { siteRule } from '../rule.js';

/** Patterns that somebody wrote for everything: `/*`, or the same as a class of names, `/*.css`. */
const AT_ROOT = /^\/\*(?:\.[\w*]+)?$/;

export const patternAtRoot = siteRule(
  {
    name: 'pattern-at-root',
    level: 'note',
    explain:
      'A pattern of a slash and a star covers only what lies at the root of the site, and nothing in its folders.',
    example: 'assign: [{ to: "/*", cache: 1 day }]',
    fix: 'Write "**" for everything, or the name without a slash for every depth ("*.css").',
  },
  function* ({ objects, assignments, settings: { readable } }) {
    const keys = objects.map(({ key }) => key);
    const written: [place: string, pattern: string, line?: number][] = [
      ...assignments.rules.flatMap(({ number, line, to = [] }) =>
        to.map((pattern): [string, string, number] => [`rule ${number}`, pattern, line]),
      ),
      ...(['keys', 'except'] as const).flatMap((list) =>
        (readable?.[list] ?? []).map((pattern): [string, string] => [`readable.${list}`, pattern]),
      ),
      ...(assignments.versioned?.patterns ?? []).map((pattern): [string, string] => ['versioned', pattern]),
    ];
    for (const [place, pattern, line] of written) {
      if (!AT_ROOT.test(pattern)) continue;
      const anywhere = pattern === '/*' ? '**' : pattern.slice(1);
      const [here, all] = [pattern, anywhere].map((each) => keys.filter(parsePattern(each)).length);
      if (here === all) continue;
      yield {
        ...(line === undefined ? {} : { file: assignments.file, line }),
        message: `"${pattern}" of ${place} covers only what lies at the root: ${here} of ${all} such objects`,
        fix: `write ${JSON.stringify(anywhere)} for every folder, or leave it where the root alone is meant`,
      };
    }
  },
);
