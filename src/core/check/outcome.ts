/** The outcome of a check, as every report shows it. */
import { essence } from '../assign/media-type.js';
import { formatDuration } from '../caching/duration.js';
import { freshness, isNeverStored } from '../caching/freshness.js';
import type { Finding, Level } from '../findings/finding.js';
import type { ObjectHeaders, StoredObject } from '../site/site-object.js';
import type { PlaceDifference } from './compare-places.js';
import type { Failure } from './compare-answer.js';
import type { Aspect } from './difference.js';
import type { Kind } from './probe.js';

export interface MatrixRow {
  readonly about: Kind;
  readonly asked: number;
  readonly failed: number;
  /** Failures by aspect; an aspect that is absent had none. */
  readonly aspects: Partial<Readonly<Record<Aspect, number>>>;
}

export interface EndpointOutcome {
  /** The address that was probed. */
  readonly at: string;
  /** Whether it was our own emulation, started for this check. */
  readonly selfTest: boolean;
  readonly probes: { readonly run: number; readonly failed: number; readonly retries: number };
  readonly matrix: readonly MatrixRow[];
  /** Whether it refused the first addresses, so that nothing else was asked. */
  readonly refused?: boolean;
  readonly failures: readonly Failure[];
}

/** Objects that share something, with their bytes. */
export interface Share {
  readonly name: string;
  readonly objects: number;
  readonly bytes: number;
}

export interface CheckOutcome extends EndpointOutcome {
  readonly bucket: string;
  readonly release: number;
  readonly objects: number;
  readonly bytes: number;
  /** How many objects were probed, and how many kinds of objects there are. */
  readonly sample: { readonly objects: number; readonly kinds: number };
  /** Our own emulation, probed beside the endpoint. */
  readonly beside?: EndpointOutcome;
  /** Another destination beside it, address by address. */
  readonly against?: {
    readonly name: string;
    readonly bucket: string;
    readonly release: number;
    readonly at: string;
    readonly thereAt: string;
    readonly asked: number;
    readonly differences: readonly PlaceDifference[];
  };
  /** The release that the bucket came to while it was checked; what that concerns was asked again against it. */
  readonly meanwhile?: number;
  readonly findings: readonly Finding[];
  readonly baseline?: { readonly known: number; readonly gone: number };
  /** Whether it was the site folder, as it would be published, and no release. */
  readonly unpublished?: boolean;
  readonly failOn: Level;
  readonly passed: boolean;
  /** How many texts were read for references, and how long that took. */
  readonly inspection: { readonly read: number; readonly seconds: number };
  readonly seconds: number;
  /** Milliseconds since the epoch. */
  readonly when: number;
  readonly byType: readonly Share[];
  readonly byCaching: readonly Share[];
}

const FAILING: Readonly<Record<Level, readonly Level[]>> = {
  error: ['error'],
  warning: ['error', 'warning'],
  note: ['error', 'warning', 'note'],
};

/** Whether a check passes: no answer differs, and nothing at or above a level was found. */
export const passes = (
  findings: readonly Finding[],
  endpoints: readonly { readonly failures: readonly Failure[] }[],
  failOn: Level,
): boolean =>
  endpoints.every(({ failures }) => failures.length === 0) &&
  !findings.some(({ level }) => FAILING[failOn].includes(level));

/** What is stored, by type: the largest first. */
export const shareByType = (objects: readonly StoredObject[]): Share[] =>
  shareBy(objects, ({ headers }) => essence(headers['Content-Type'] ?? '') || 'no type').sort(
    (a, b) => b.bytes - a.bytes,
  );

/** How long objects may be kept, in words: the most objects first. @param now milliseconds since the epoch */
export const shareByCaching = (objects: readonly StoredObject[], now: number): Share[] =>
  shareBy(objects, ({ headers }) => wordsOfCaching(headers, now)).sort((a, b) => b.objects - a.objects);

function wordsOfCaching(headers: ObjectHeaders, now: number): string {
  if (isNeverStored(headers)) return 'never kept';
  if (headers['Cache-Control'] === undefined && headers['Expires'] !== undefined) return 'until a date';
  const seconds = freshness(headers, now);
  if (seconds === undefined) return 'no cache header';
  if (seconds === 0) return 'asked every time';
  return (
    formatDuration(seconds) + (/\bimmutable\b/.test(headers['Cache-Control'] ?? '') ? ', immutable' : '')
  );
}

function shareBy(objects: readonly StoredObject[], by: (object: StoredObject) => string): Share[] {
  const shares = new Map<string, { name: string; objects: number; bytes: number }>();
  for (const object of objects) {
    const name = by(object);
    let share = shares.get(name);
    if (!share) shares.set(name, (share = { name, objects: 0, bytes: 0 }));
    share.objects++;
    share.bytes += object.size;
  }
  return [...shares.values()];
}
