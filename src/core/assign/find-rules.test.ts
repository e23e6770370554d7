import { describe, expect, it } from 'vitest';
import { chance, LONGER, SEED } from '../../../test/helpers/chance.js';
import { parseCache } from '../caching/policy.js';
import { createCascade, type Assignments, type AssignRule } from './cascade.js';
import { findRules, type FoundRules, type WantedObject } from './find-rules.js';

const cache = (value: unknown) => {
  const result = parseCache(value);
  if ('faults' in result) throw new Error(JSON.stringify(result.faults));
  return result.policy;
};
type Written = Omit<AssignRule, 'number' | 'line'>;
const assignments = (rules: readonly Written[], otherwise?: string): Assignments => ({
  file: 'fenestra.yaml',
  rules: rules.map((rule, at) => ({ number: at + 1, line: at + 10, ...rule })),
  ...(otherwise === undefined ? {} : { otherwise: cache(otherwise) }),
});
/** What each key is sent with under some lines. */
const sentWith = (keys: readonly string[], given: Assignments): WantedObject[] => {
  const cascade = createCascade(given);
  return keys.map((key) => {
    const { headers } = cascade.decide(key);
    const caching = ['Cache-Control', 'Expires', 'Pragma'].flatMap((name) =>
      headers[name] === undefined ? [] : [[name, headers[name]]],
    );
    return {
      key,
      wanted: {
        contentType: headers['Content-Type'] ?? null,
        cache: { headers: Object.fromEntries(caching) as Record<string, string>, words: '' },
        encoding: headers['Content-Encoding'] ?? null,
        language: headers['Content-Language'] ?? null,
        disposition: headers['Content-Disposition'] ?? null,
      },
    };
  });
};
const countLines = ({ rules, otherwise }: Pick<FoundRules, 'rules' | 'otherwise'>): number =>
  rules.length + (otherwise === undefined ? 0 : 1);
/** As somebody would read it. */
const told = ({ rules, otherwise }: Pick<FoundRules, 'rules' | 'otherwise'>): string[] => [
  ...(otherwise ? [`otherwise ${JSON.stringify(otherwise.headers)}`] : []),
  ...rules.map(({ number: _, line: __, cache: kept, ...rest }) =>
    JSON.stringify({ ...rest, ...(kept ? { cache: kept.headers } : {}) }),
  ),
];

const FOLDERS = [
  'img',
  'img/icons',
  'docs',
  'docs/api',
  'docs/guide',
  'assets',
  'fonts',
  'de',
  'de/docs',
  '',
];
const ENDINGS = ['html', 'css', 'js', 'min.js', 'png', 'svg', 'woff2', 'json', 'pdf', 'txt', 'tar.gz', 'bin'];
const NAMES = [
  'index',
  'logo',
  'icon-192',
  'icon-512',
  'app',
  'main-3f9a2b1c',
  'lib-77ac01de',
  'read_me',
  'tide',
];

function randomTree(random: () => number, isLarge: boolean): string[] {
  const of = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)] as T;
  const keys = new Set<string>();
  for (let count = Math.floor(5 + random() * 60); count > 0; count--) {
    const folder = of(FOLDERS);
    keys.add(`${folder === '' ? '' : `${folder}/`}${of(NAMES)}.${of(ENDINGS)}`);
  }
  // What is not as its surroundings is told by more than names then.
  for (let count = isLarge ? 600 : 0; count > 0; count--)
    keys.add(`${of(FOLDERS) || 'top'}/${Math.floor(random() * 30)}/${of(NAMES)}.${of(ENDINGS)}`);
  return [...keys];
}

/** A list of lines as people write them, each naming something that is there. */
function randomRules(
  random: () => number,
  keys: readonly string[],
): { rules: Written[]; otherwise?: string } {
  const of = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)] as T;
  const pattern = (): string => {
    const key = of(keys);
    const name = key.slice(key.lastIndexOf('/') + 1);
    const folder = key.slice(0, key.lastIndexOf('/') + 1);
    const ending = name.slice(name.lastIndexOf('.'));
    return of([
      '**',
      `*${ending}`,
      `*${name.slice(name.indexOf('.'))}`,
      `${folder}**`,
      folder === '' ? '/*' : `${folder}*`,
      `${folder}**/*${ending}`,
      `${folder === '' ? '/' : folder}*${ending}`,
      `**/docs/**`,
      name,
      folder === '' ? `/${name}` : key,
      `${name.split(/[-_.]/)[0] ?? ''}${/[-_.]/.exec(name)?.[0] ?? ''}*`,
    ]);
  };
  const rule = (): Written => {
    const gives: Written = {
      ...(random() < 0.75
        ? { cache: cache(of(['10 days', '1 hour', 'never', 'unset', 'forever', '30 days'])) }
        : {}),
      ...(random() < 0.2 ? { language: of(['en', 'de']) } : {}),
      ...(random() < 0.15 ? { disposition: 'attachment' } : {}),
      ...(random() < 0.15 ? { encoding: of(['gzip', 'br'] as const) } : {}),
    };
    const given = Object.keys(gives).length > 0 ? gives : { cache: cache('1 day') };
    const by = random();
    const ifUnset = random() < 0.12 ? { ifUnset: true } : {};
    if (by < 0.2)
      return {
        type: [of(['image/*', 'text/*', 'text/html', 'text/css', 'font/*', 'application/*'])],
        ...ifUnset,
        ...given,
      };
    if (by < 0.3) return { to: [pattern()], type: [of(['image/*', 'text/*'])], ...ifUnset, ...given };
    const to = Array.from({ length: random() < 0.7 ? 1 : 1 + Math.floor(random() * 3) }, pattern);
    const contentType =
      random() < 0.12 ? { contentType: of(['text/plain', 'application/x-mill', 'image/x-scan']) } : {};
    return { to, ...ifUnset, ...given, ...contentType };
  };
  const rules = Array.from({ length: Math.floor(random() * 8.99) }, rule);
  return {
    rules,
    ...(random() < 0.3 && rules.length < 8 ? { otherwise: of(['2 hours', '5 minutes']) } : {}),
  };
}

describe('the fewest lines', () => {
  it('say what any cascade says, in no more lines than it has', () => {
    const random = chance('cascades');
    const longer: string[] = [];
    for (let round = 0; round < 60 * LONGER; round++) {
      const keys = randomTree(random, round % 4 === 0);
      const { rules, otherwise } = randomRules(random, keys);
      const given = assignments(rules, otherwise);
      const found = findRules(sentWith(keys, given));
      expect([SEED, round, found.left, told(given), told(found)]).toEqual([
        SEED,
        round,
        [],
        told(given),
        told(found),
      ]);
      const [own, most] = [countLines(found), countLines(given)];
      if (own > most)
        longer.push(
          `${SEED}/${round}: ${own} > ${most}\n${told(given).join('\n')}\n->\n${told(found).join('\n')}\n${keys.join(' ')}`,
        );
    }
    expect(longer).toEqual([]);
  }, 120_000);
});
