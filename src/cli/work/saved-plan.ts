/** A change list kept in a file: agreed on in review, published from elsewhere, refused when anything has drifted. */
import { readFileSync } from 'node:fs';
import { FenestraError, systemCode } from '../../core/errors/catalogue.js';
import { isDeepEqual } from '../../core/release/plain-data.js';
import type { Change, SettingChange } from '../../core/release/change-list.js';
import { writeResult } from './baseline-file.js';
import type { Changes } from './publish-work.js';

interface SavedPlan {
  readonly fenestraPlan: 1;
  readonly bucket: string;
  /** The release that the changes were made against; 0 for a bucket that is yet to be made. */
  readonly base: number;
  readonly changes: readonly Change[];
  readonly settings: readonly SettingChange[];
}

const planOf = (bucket: string, { bucket: state, changes, settings }: Changes): SavedPlan => ({
  fenestraPlan: 1,
  bucket,
  base: state?.release ?? 0,
  changes,
  settings,
});

export function savePlan(file: string, bucket: string, changes: Changes): void {
  writeResult('--save', file, `${JSON.stringify(planOf(bucket, changes), null, 2)}\n`);
}

/** @throws FenestraError PLAN_UNREADABLE, PLAN_DRIFTED */
export function needAgreed(file: string, bucket: string, changes: Changes): void {
  const agreed = readPlan(file);
  const now = JSON.parse(JSON.stringify(planOf(bucket, changes))) as SavedPlan;
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
      { file, reason: systemCode(error) ?? 'it is not JSON' },
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

function describeDrift(agreed: SavedPlan, now: SavedPlan): string | undefined {
  if (agreed.bucket !== now.bucket) return `it was for bucket ${agreed.bucket}, this is ${now.bucket}`;
  if (agreed.base !== now.base) return `the bucket was at release ${agreed.base} and is at ${now.base}`;
  const was = new Map(agreed.changes.map((change) => [change.key, change]));
  const is = new Map(now.changes.map((change) => [change.key, change]));
  for (const [key, change] of is)
    if (!isDeepEqual(was.get(key), change))
      return was.has(key) ? `${key} would be changed otherwise` : `${key} would be changed too`;
  for (const key of was.keys()) if (!is.has(key)) return `${key} would not be changed any more`;
  return isDeepEqual(agreed.settings, now.settings) ? undefined : 'the settings would be changed otherwise';
}
