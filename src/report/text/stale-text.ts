/** What visitors and the front still hold of the old release, on the terminal. */
import { formatWhen } from '../../core/words/moments.js';
import type { Access } from '../../core/hosting/bucket-view.js';
import type { Change } from '../../core/release/change-list.js';
import type { FrontHeld } from '../../core/release/front-held.js';
import { listStale } from '../../core/release/stale.js';
import { countOf } from '../../core/words/counts.js';
import { proposedFor } from '../../core/versioning/propose-versioned.js';
import { visible, type Paint } from './paint.js';
import { roughly } from './request-reason-text.js';

/** Old copies and new companions that are named; of more there is the count. */
const MAX_MIXES = 5;
const MAX_COMPANIONS = 3;

export interface StaleView {
  /** Of the bucket before. */
  readonly access: Access | undefined;
  /** By the key of an old copy: what it may meet and was not made for. */
  readonly mixes: ReadonlyMap<string, readonly string[]>;
  /** Milliseconds since the epoch. */
  readonly now: number;
}

/** What visitors will still hold of the old release, what that mixes first; '' where that is nothing. */
export function formatStale(
  entries: readonly Change[],
  { access, mixes, now }: StaleView,
  paint: Paint,
): string {
  // Nobody holds anything of a bucket that nobody could read.
  const all = access === 'open' ? listStale(entries, now) : [];
  // The site's own pages name its new version, so their visitors get that at once.
  const versioned = new Set(
    entries.flatMap(({ change, plainKey }) => (change === 'add' ? (plainKey ?? []) : [])),
  );
  const stale = all.filter(({ key }) => !versioned.has(key));
  const [longest] = stale;
  if (!longest) return '';
  const changes = new Map(entries.map(({ key, change }) => [key, change]));
  const mixing = stale.filter(({ key }) => (mixes.get(key)?.length ?? 0) > 0);
  const removed = stale.filter(({ key }) => changes.get(key) === 'remove').length;
  const cures = [
    removed < stale.length
      ? 'Under a new name, with the references to it changed, they get the new one at once.'
      : '',
    removed > 0 ? 'What is removed goes on being shown by their caches until then.' : '',
  ];
  const plain = `${paint.warn('Visitors may go on holding')} the old bytes or headers of ${countOf(stale.length, 'object')}, such as ${visible(longest.key)} until ${formatWhen(longest.until)}; ${longest.because}.`;
  if (mixing.length === 0) return [plain, ...cures.filter((cure) => cure !== '')].join(' ');
  const lines = mixing.slice(0, MAX_MIXES).map(({ key, until }) => {
    const others = mixes.get(key) ?? [];
    const named = others.slice(0, MAX_COMPANIONS).map(visible).join(', ');
    const more =
      others.length > MAX_COMPANIONS ? ` and ${countOf(others.length - MAX_COMPANIONS, 'other')}` : '';
    const isReader = others.some((other) => changes.get(other) === 'remove');
    return isReader
      ? `  until ${formatWhen(until)} the old ${paint.place(visible(key))} asks for ${named}${more}, which this removes`
      : `  until ${formatWhen(until)} the new ${named}${more} may be shown with the old ${paint.place(visible(key))}`;
  });
  const rest =
    mixing.length > MAX_MIXES ? `\n  and ${countOf(mixing.length - MAX_MIXES, 'other')} like these` : '';
  const keep = removed > 0 ? ' Keep what is removed until then, or publish its removal later.' : '';
  return [
    `${paint.warn('warning')}  Visitors who have been here before may get a mix of old and new files:\n${lines.join('\n')}${rest}`,
    `  Give what changed a new name, and change the references to it: then they never meet.${keep}`,
    plain,
  ].join('\n');
}

/** What the front has to be told to forget; '' where that is nothing. @param list the file that the addresses were written to */
export function formatFrontHeld(held: readonly FrontHeld[], list: string | undefined, paint: Paint): string {
  const [longest] = held;
  if (!longest) return '';
  const how =
    list === undefined
      ? 'Have it forget them: --front-list FILE writes the addresses, one a line, for whatever purges it'
      : `They are written to ${list}`;
  return `${paint.warn('The front goes on answering')} with what was before at ${countOf(held.length, 'address', 'addresses')}, such as ${visible(longest.address)} until ${formatWhen(longest.until)}; ${longest.because}. ${how}.`;
}

export interface TooLong {
  readonly objects: readonly {
    readonly key: string;
    readonly kept: number;
    readonly lasted: number;
    readonly changed?: number;
  }[];
  readonly by: string;
  readonly covers: number;
}

/** What changes sooner than caches let go of it; '' where nothing does. */
export function formatTooLong(tooLong: TooLong | undefined, paint: Paint): string {
  const [first] = tooLong?.objects ?? [];
  if (!tooLong || !first) return '';
  const [key, words] = describeTooLong(tooLong, first);
  return `${paint.warn('Kept for longer than it lasts')}: ${paint.place(key)}${words}`;
}

/** @returns the key as it may be shown, and the sentences after it */
export function describeTooLong(
  { objects, by, covers }: TooLong,
  first: TooLong['objects'][number],
): readonly [key: string, words: string] {
  const others = objects.length > 1 ? ` and ${countOf(objects.length - 1, 'other')}` : '';
  const pattern = proposedFor(first.key) ?? first.key;
  const often =
    first.changed === undefined
      ? `changes after ${roughly(first.lasted)}`
      : `has changed ${first.changed === 1 ? 'once' : `${first.changed} times`}, every ${roughly(first.lasted)} on average,`;
  return [
    visible(first.key),
    `${others}. It ${often} and is kept for ${roughly(first.kept)}, by ${by}, which covers ${countOf(covers, 'object')}. A shorter lifetime, or versioned: [${JSON.stringify(pattern)}], which gives new bytes a new name.`,
  ];
}
