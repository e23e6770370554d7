/** What a store of this kind refuses, and what somebody can do about it. */
import { FenestraError } from '../../core/errors/catalogue.js';

/** By status; of others trying again is the only thing that helps. */
const ADVICE: Readonly<Record<number, string>> = {
  403: 'The user that Fenestra signs in as may not do that: ask the operators of the store for the right to write, or sign in as another.',
  413: 'The store takes no more of it: a quota of the bucket or of the account is used up (`fenestra bucket mend -n` shows one that somebody has set), or one file is larger than it takes (`segments:` cuts it).',
  507: 'The store is full. Ask its operators for space, or remove what is not needed; then run the command again: it continues where it stopped.',
};
const AGAIN =
  'Run the command again: it continues where it stopped. If the error persists, ask the operators of the store.';

export const storeRefused = (store: string, what: string, status: number, said: string): FenestraError =>
  new FenestraError('STORE_REFUSED', { store, what, status, said, fix: ADVICE[status] ?? AGAIN });
