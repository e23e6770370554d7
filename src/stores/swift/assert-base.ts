/** A release counts only beside the one that it was agreed on. */
import { FenestraError } from '../../core/errors/catalogue.js';
import type { ReleasePlan } from '../../core/release/release.js';
import type { SwiftClient } from './client.js';
import { readAccess } from './container.js';
import { readLedger } from './ledger.js';

/** @throws FenestraError PUBLISHED_MEANWHILE, OPENED_MEANWHILE */
export async function assertBase(client: SwiftClient, bucket: string, plan: ReleasePlan): Promise<void> {
  const { base, bucket: agreed } = plan;
  const now = await readLedger(client, bucket);
  const isAnother = agreed !== undefined && agreed.created !== now?.state.created;
  if (!now || now.state.release !== base || isAnother)
    throw new FenestraError('PUBLISHED_MEANWHILE', {
      bucket,
      base,
      head: now?.state.release ?? 0,
      who: isAnother ? ', of a bucket made anew' : '',
    });
  const access = await readAccess(client, bucket);
  if (access === 'open' && agreed?.access !== 'open') throw new FenestraError('OPENED_MEANWHILE', { bucket });
}
