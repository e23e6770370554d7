/** A change list kept in a file: agreed on in review, published from elsewhere, refused when anything has drifted. */
import { readFileSync } from 'node:fs';
import { FenestraError, systemCode } from '../../core/errors/catalogue.js';
import { reasonInWords } from '../../core/errors/system-error.js';
import type { Access } from '../../core/hosting/bucket-view.js';
import { isDeepEqual } from '../../core/release/plain-data.js';
import { showChange, type Change, type SettingChange } from '../../core/release/change-list.js';
import { countOf } from '../../core/words/counts.js';
import { writeResult } from '../check/baseline-file.js';
import type { Comparison } from './comparison.js';

interface SavedPlan {
  readonly fenestraPlan: 1;
  readonly bucket: string;
  /** The release that the changes were made against; 0 for a bucket that is yet to be made. */
  readonly base: number;
  readonly access: Access;
  readonly changes: readonly Change[];
  readonly settings: readonly SettingChange[];
}

const planOf = (bucket: string, { bucket: state, entries, settings }: Comparison): SavedPlan => ({
  fenestraPlan: 1,
  bucket,
  base: state?.release ?? 0,
  access: state?.access ?? 'closed',
  changes: entries.map(showChange),
  settings,
});

export function savePlan(file: string, bucket: string, comparison: Comparison): void {
  writeResult('--save', file, `${JSON.stringify(planOf(bucket, comparison), null, 2)}\n`);
}

/** @throws FenestraError PLAN_UNREADABLE, PLAN_DRIFTED */
export function needAgreed(file: string, bucket: string, comparison: Comparison): void {
  const agreed = readPlan(file);
  const now = JSON.parse(JSON.stringify(planOf(bucket, comparison))) as SavedPlan;
  const drift = describeDrift(agreed, now);
  if (drift !== undefined) throw new FenestraError('PLAN_DRIFTED', { file, drift });
}

function readPlan(file: string): SavedPlan {
  let plan: unknown;
  try {
    plan = JSON.parse(readFileSync(file, 'utf8'));
  } catch (error) {
    throw new FenestraError(
      'PLAN_UNREADABLE',
      { file, reason: systemCode(error) === undefined ? 'it is not JSON' : reasonInWords(error) },
      error,
    );
  }
  const given = plan as Partial<SavedPlan> | null;
  if (
    typeof given !== 'object' ||
    given?.fenestraPlan !== 1 ||
    typeof given.bucket !== 'string' ||
    typeof given.base !== 'number' ||
    !Array.isArray(given.changes) ||
    !given.changes.every((change: unknown) => isChange(change)) ||
    !Array.isArray(given.settings)
  ) {
    throw new FenestraError('PLAN_UNREADABLE', { file, reason: 'it lacks the marks of one' });
  }
  return given as SavedPlan;
}

const isChange = (value: unknown): boolean =>
  typeof value === 'object' && value !== null && 'key' in value && typeof value.key === 'string';

/** Everything that is other than it was agreed on; undefined when nothing is. */
function describeDrift(agreed: SavedPlan, now: SavedPlan): string | undefined {
  if (agreed.bucket !== now.bucket) return `it was for bucket ${agreed.bucket}, this is ${now.bucket}`;
  const drift: string[] = [];
  if (agreed.base !== now.base) drift.push(`the bucket was at release ${agreed.base} and is at ${now.base}`);
  // What becomes readable by being published was not agreed on.
  if (agreed.access === 'closed' && now.access === 'open')
    drift.push('the bucket was closed and is open now');
  if (!isDeepEqual(agreed.settings, now.settings)) drift.push('the settings would be changed otherwise');
  const was = new Map(agreed.changes.map((change) => [change.key, change]));
  const is = new Map(now.changes.map((change) => [change.key, change]));
  for (const [key, change] of is)
    if (!isDeepEqual(was.get(key), change))
      drift.push(was.has(key) ? `${key} would be changed otherwise` : `${key} would be changed too`);
  for (const key of was.keys()) if (!is.has(key)) drift.push(`${key} would not be changed any more`);
  if (drift.length === 0) return undefined;
  const more = drift.length > NAMED ? `; and ${countOf(drift.length - NAMED, 'more difference')}` : '';
  return drift.slice(0, NAMED).join('; ') + more;
}

/** Differences that a refusal names. */
const NAMED = 6;
