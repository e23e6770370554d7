/** Any failure as one of Fenestra's own: with a code, and something to do. */
import { FenestraError } from './catalogue.js';
import { asSystemError } from './system-error.js';

export const asOwnError = (error: unknown): FenestraError =>
  error instanceof FenestraError
    ? error
    : (asSystemError(error) ??
      new FenestraError('DEFECT', { reason: error instanceof Error ? error.message : String(error) }, error));
