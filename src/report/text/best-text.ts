/** The lines with which returning visitors ask for least, for a terminal. */
import { formatDuration, roughDuration } from '../../core/caching/duration.js';
import { countOf, formatBytes, formatCount } from '../../core/words/counts.js';
import { columns, visible, type Paint } from './paint.js';

interface Asked {
  readonly requests: number;
  readonly bytes: number;
}

interface BestForShown {
  readonly bound: number;
  readonly found: { readonly left: readonly { readonly key: string; readonly property: string }[] };
  readonly asked: Asked;
  readonly saves: ReadonlyMap<number, Asked>;
  readonly lines: ReadonlyMap<
    number,
    { readonly keys: readonly string[]; readonly seenOld: number; readonly unchanged: number }
  >;
  /** As they stand in a config, by the number of the rule. */
  readonly written: ReadonlyMap<number, string>;
}

export interface BestShown {
  readonly paths: readonly string[];
  readonly history: { readonly releases: number; readonly span: number } | undefined;
  readonly now: Asked;
  readonly byBound: readonly BestForShown[];
}

const boundOf = (seconds: number): string => (seconds === 0 ? 'not at all' : formatDuration(seconds));

/** @param returns when visitors come back, in words */
export function formatBest(
  { paths, history, now, byBound }: BestShown,
  returns: string,
  paint: Paint,
): string {
  const row = (first: string, { requests, bytes }: Asked): string[] => [
    first,
    formatCount(requests),
    formatBytes(bytes),
  ];
  const known = history
    ? `by ${countOf(history.releases + 1, 'release', 'releases')} of ${roughDuration(Math.round(history.span))}`
    : 'by no history: nothing is known of how often it changes';
  return [
    `What returning visitors of ${countOf(paths.length, 'page')} ask for, ${returns}, ${known}.`,
    '',
    columns(
      [
        ['old for at most', 'requests', 'bytes'],
        row('as it is now', now),
        ...byBound.map(({ bound, asked }) => row(boundOf(bound), asked)),
      ],
      [1, 2],
      paint.width,
    ),
    ...byBound.flatMap((each) => ['', ...formatLines(each, paint)]),
  ].join('\n');
}

function formatLines({ bound, saves, lines, written, found }: BestForShown, paint: Paint): string[] {
  const rows = [...written].map(([rule, text]) => {
    const { keys = [], seenOld = 0, unchanged = 0 } = lines.get(rule) ?? {};
    const { requests = 0, bytes = 0 } = saves.get(rule) ?? {};
    const notes = [
      requests > 0 ? `saves ${countOf(requests, 'request')}, ${formatBytes(bytes)}` : '',
      seenOld > 0 ? `${countOf(seenOld, 'release')} of the past would have been seen late` : '',
      unchanged > 0
        ? `${countOf(unchanged, 'object')} unchanged so far: give it another name when it changes`
        : '',
    ].filter(Boolean);
    const said = lines.has(rule) ? [countOf(keys.length, 'object'), ...notes] : ['as it is now'];
    return `  - ${visible(text)}\n      ${paint.soft(said.join('; '))}`;
  });
  const left = new Set(found.left.map(({ key }) => key)).size;
  return [
    paint.strong(bound === 0 ? 'Nothing old at all' : `Nothing old for longer than ${boundOf(bound)}`),
    ...(rows.length > 0 ? rows : ['  no line is needed: the defaults do it']),
    ...(left > 0 ? [paint.warn(`  ${countOf(left, 'object')} cannot be told from others by lines`)] : []),
  ];
}

/** What of a list of lines goes and what comes. */
export function formatLineDiff(was: readonly string[], becomes: readonly string[], paint: Paint): string {
  const [old, fresh] = [new Set(was), new Set(becomes)];
  return [
    ...was.map((line) => (fresh.has(line) ? `    ${visible(line)}` : paint.bad(`  - ${visible(line)}`))),
    ...becomes.filter((line) => !old.has(line)).map((line) => paint.good(`  + ${visible(line)}`)),
  ].join('\n');
}
