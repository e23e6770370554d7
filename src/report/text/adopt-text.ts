/** What `init --at` has learned of a published site, for a terminal. */
import type { SeenDifference } from '../../core/adopting/compare-seen.js';
import { essence, parseMediaType } from '../../core/assign/media-type.js';
import { countOf, formatCount } from '../../core/words/counts.js';
import { shorten, visible, type Paint } from './paint.js';

export interface AdoptedShown {
  readonly at: string;
  readonly siteAsWritten: string;
  readonly files: number | undefined;
  readonly isFetched: boolean;
  readonly asked: number;
  readonly remembered: number;
  readonly bucket: string;
  readonly learned: {
    readonly index: string;
    readonly error: string | undefined;
    readonly app: boolean;
    readonly objects: readonly unknown[];
    readonly found: { readonly rules: readonly unknown[]; readonly otherwise?: unknown };
    readonly moved: { readonly permanently: object; readonly temporarily: object };
  };
  readonly differences: readonly SeenDifference[];
  readonly notOnBuckets: readonly {
    readonly what: string;
    readonly of: readonly string[];
    readonly instead: string;
  }[];
  readonly notThere: readonly string[];
  readonly notHere: readonly string[];
  readonly passedOver: Readonly<Partial<Record<string, readonly string[]>>>;
  readonly byQuery: readonly string[];
}

export interface DifferenceGroup {
  readonly aspect: string;
  readonly there: string;
  readonly here: string;
  readonly isSame: boolean;
  readonly of: readonly string[];
}

/** Those that are alike in all but the address, the most frequent first. */
export function groupDifferences(differences: readonly SeenDifference[]): DifferenceGroup[] {
  const groups = new Map<string, DifferenceGroup & { of: string[] }>();
  for (const difference of differences) {
    const { path, aspect, isSame = false } = difference;
    const { there, here } = namedApart(difference);
    const mark = JSON.stringify([aspect, there, here]);
    const known = groups.get(mark);
    if (known) known.of.push(path);
    else groups.set(mark, { aspect, there, here, isSame, of: [path] });
  }
  return [...groups.values()].sort((a, b) => b.of.length - a.of.length);
}

/** Of two types that are one but for a charset, the charset alone. */
function namedApart({ aspect, there, here }: SeenDifference): {
  readonly there: string;
  readonly here: string;
} {
  if (aspect === 'type' && there === 'none') return { there, here: 'what the name says' };
  if (aspect !== 'type' || essence(there) !== essence(here)) return { there, here };
  const [was, is] = [there, here].map((type) => parseMediaType(type)?.parameters.get('charset'));
  return { there: was === undefined ? 'no charset' : `charset ${was}`, here: is ?? 'no charset' };
}

const MOST = 12;
const SHOWN = 3;

/** Some of them, and how many more there are. */
function someOf(paths: readonly string[]): string {
  const shown = paths.slice(0, SHOWN).map((path) => shorten(visible(path), 60));
  const more = paths.length - shown.length;
  return `${shown.join(', ')}${more > 0 ? ` and ${formatCount(more)} more` : ''}`;
}

function section(title: string, lines: readonly string[], paint: Paint): string[] {
  if (lines.length === 0) return [];
  const shown = lines.slice(0, MOST).map((line) => `  ${line}`);
  return [
    '',
    paint.strong(title),
    ...shown,
    ...(lines.length > MOST ? [`  and ${lines.length - MOST} more; --json has them all`] : []),
  ];
}

/** What each reason to pass an address over is, for people. */
const WHY: Readonly<Record<string, string>> = {
  robots:
    'robots.txt asks programs not to look there, so `readable.except` keeps these files private (--mine, where the site is your own)',
  'too many alike': 'more addresses that differ in numbers alone than are asked for',
  'too many': 'more addresses than are asked for (--at-most)',
  'no answer': 'no answer in time',
  'too large': 'longer than is read: the head alone was looked at',
  'no file name': 'no file can be called so beside the others, so it was not fetched',
};

export function formatAdoption(adopted: AdoptedShown, config: string, paint: Paint): string {
  const { learned, differences, notOnBuckets, notThere, notHere, passedOver, byQuery } = adopted;
  const { moved, found } = learned;
  const moves = Object.keys(moved.permanently).length + Object.keys(moved.temporarily).length;
  const groups = groupDifferences(differences);
  const others = groups.filter(({ isSame }) => !isSame);
  const unequal = new Set(others.flatMap(({ of }) => of)).size;
  const describe = ({ aspect, there, here, of }: DifferenceGroup): string =>
    `${aspect}: ${paint.warn(visible(there))} there, ${visible(here)} here  ${paint.soft(someOf(of))}`;
  const error = learned.error ?? (learned.app ? 'none: the home page answers for what is no file' : 'none');
  return [
    `Looked at ${paint.strong(adopted.at)}: ${countOf(adopted.asked, 'address', 'addresses')}${adopted.remembered > 0 ? `, ${formatCount(adopted.remembered)} of them at an earlier time` : ''}.`,
    `  site             ${adopted.files === undefined ? paint.warn('no folder of built files here: what the site shows alone counts') : `${adopted.siteAsWritten}, ${countOf(adopted.files, 'file')}${adopted.isFetched ? ' fetched' : ''}`}`,
    `  index document   ${learned.index}`,
    `  error document   ${error}`,
    `  moved addresses  ${moves === 0 ? 'none seen' : formatCount(moves)}`,
    `  lines of assign  ${found.rules.length} for ${countOf(learned.objects.length, 'object')}${found.otherwise ? ', and `otherwise`' : ''}`,
    `  bucket           ${adopted.bucket}`,
    ...section('A bucket would answer otherwise', others.map(describe), paint),
    ...section(
      'Written in another way, and the same to browsers',
      groups.filter(({ isSame }) => isSame).map(describe),
      paint,
    ),
    ...section(
      'What no bucket does',
      notOnBuckets.map(
        ({ what, of, instead }) =>
          `${what}  ${paint.soft(someOf(of))}\n    ${paint.soft('instead:')} ${instead}`,
      ),
      paint,
    ),
    ...section(
      'Not looked at',
      Object.entries(passedOver).map(
        ([why, paths = []]) => `${WHY[why] ?? why}  ${paint.soft(someOf(paths))}`,
      ),
      paint,
    ),
    ...section(
      'Left out',
      [
        ...(byQuery.length > 0
          ? [`answers that hang on the query, which a bucket passes over  ${paint.soft(someOf(byQuery))}`]
          : []),
        ...(notHere.length > 0
          ? [`in the published site, not in the folder  ${paint.soft(someOf(notHere))}`]
          : []),
        ...(notThere.length > 0
          ? [`in the folder, not in the published site  ${paint.soft(someOf(notThere))}`]
          : []),
      ],
      paint,
    ),
    '',
    unequal === 0
      ? paint.good(`All ${countOf(adopted.asked, 'address', 'addresses')} would answer as they do there.`)
      : `${formatCount(adopted.asked - unequal)} of ${countOf(adopted.asked, 'address', 'addresses')} would answer as they do there.`,
    adopted.files === undefined
      ? `Wrote ${paint.strong(config)}. Next: put the built files into ${adopted.siteAsWritten}/, then ${paint.command('survey')}.`
      : `Wrote ${paint.strong(config)}. Next: ${paint.command('survey')}, then ${paint.command('publish')}.`,
  ].join('\n');
}
