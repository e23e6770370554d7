/** Why nothing came back, in plain words. */
import { networkReason } from '../core/errors/network-error.js';
import { BeyondLimits } from './limits.js';

export function reasonOf(error: unknown): string {
  const cause = error instanceof Error && error.cause !== undefined ? error.cause : error;
  if (cause instanceof BeyondLimits) return cause.message;
  return networkReason(error) ?? (cause instanceof Error ? cause.message : String(cause));
}
