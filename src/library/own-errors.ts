/** Whatever goes wrong in a call leaves it as one of Fenestra's own errors. */
import { asOwnError } from '../core/errors/own-error.js';

/** Runs the work of a call. @throws FenestraError and nothing else */
export async function withOwnErrors<T>(work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    throw asOwnError(error);
  }
}
