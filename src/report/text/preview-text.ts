/** All that a publish would do, as it is shown before anybody is asked. */
import type { Finding } from '../../core/findings/finding.js';
import type { FrontHeld } from '../../core/release/front-held.js';
import type { Waiting } from '../../core/release/waiting.js';
import type { NameCounts } from '../../core/versioning/naming.js';
import type { Guarantees } from '../../stores/port.js';
import { formatNameCounts } from './format-names.js';
import type { Paint } from './paint.js';
import { formatWaiting } from './postponed-removals-text.js';
import {
  formatComparison,
  formatDamage,
  formatForeign,
  formatOthers,
  formatReaders,
  formatSurveyFindings,
  formatTakenBack,
  formatUnchanged,
  type Compared,
  type Destination,
} from './publish-text.js';
import { formatDriftRemark } from './mend-text.js';
import { formatFrontHeld, formatStale, formatTooLong, type TooLong } from './stale-text.js';

interface ShownComparison extends Compared {
  readonly readers: Parameters<typeof formatReaders>[0];
  readonly damage: Parameters<typeof formatDamage>[0];
}

/** What would be done, as far as it is shown. */
export interface ShownPreview {
  readonly prepared: {
    readonly comparison: ShownComparison;
    readonly project: { readonly destination: Destination };
    readonly site: { readonly findings: readonly Finding[]; readonly names?: NameCounts | undefined };
    readonly store: { readonly guarantees: Guarantees } | undefined;
  };
  readonly mixes: ReadonlyMap<string, readonly string[]>;
  readonly front?: readonly FrontHeld[];
  readonly waiting: readonly Waiting[];
  readonly keptTooLong?: TooLong;
  readonly others: Parameters<typeof formatOthers>[0];
  readonly takenBack?: { readonly release: number; readonly restores?: number };
  readonly newNames: ReadonlyMap<string, readonly string[]>;
}

export interface HowShown {
  /** How much of the changes; in their totals, settings are not counted. */
  readonly extent: 'few' | 'in-full' | 'totals';
  readonly inFull: boolean;
  /** The file that the addresses for the front are written to. */
  readonly frontList: string | undefined;
  /** Milliseconds since the epoch. */
  readonly now: number;
}

export function formatPreview(preview: ShownPreview, how: HowShown, paint: Paint): string {
  const { prepared, mixes, front = [], keptTooLong, waiting, others, takenBack, newNames } = preview;
  const { comparison, project, site, store } = prepared;
  const { extent, inFull, frontList, now } = how;
  return [
    formatComparison(comparison, project.destination, store?.guarantees, { extent, names: newNames }, paint),
    formatDriftRemark(comparison.drift ?? [], paint),
    formatReaders(comparison.readers, paint, inFull),
    formatNameCounts(site.names),
    formatDamage(comparison.damage, 'are', paint),
    formatTakenBack(takenBack, paint),
    formatWaiting(waiting, inFull, paint),
    formatStale(comparison.entries, { access: comparison.bucket?.access, mixes, now }, paint),
    formatTooLong(keptTooLong, paint),
    formatFrontHeld(front, frontList, paint),
    formatOthers(others, paint),
    formatSurveyFindings(site.findings, paint, inFull),
  ]
    .filter((part) => part !== '')
    .join('\n\n');
}

/** What is said where nothing would change. */
export function formatSame(
  bucket: string,
  { bucket: state, totals, foreign = [], drift = [], entries }: ShownComparison,
  paint: Paint,
): string {
  return [
    formatUnchanged(bucket, state?.release ?? 0, totals.keep),
    formatForeign(foreign, entries, paint),
    formatDriftRemark(drift, paint),
  ]
    .filter((part) => part !== '')
    .join('\n\n');
}
