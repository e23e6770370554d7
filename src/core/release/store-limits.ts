/** What a store may not be able to do, and what is done instead, as the config says it. */
import { FenestraError } from '../errors/catalogue.js';
import { countOf } from '../words/counts.js';

/** What becomes of keys that nobody may read, where a store has no policy by key. */
export const PRIVATE = ['refuse', 'leave-out', 'beside'] as const;
export type Private = (typeof PRIVATE)[number];

/** What becomes of moved addresses, where a store knows of none. */
export const MOVED_AS = ['refuse', 'pages'] as const;
export type MovedAs = (typeof MOVED_AS)[number];

/** What becomes of the addresses of folders, where a host looks for index documents at the root alone. */
export const FOLDERS = ['leave', 'pages'] as const;
export type Folders = (typeof FOLDERS)[number];

export interface Instead {
  readonly private: Private;
  readonly movedAs: MovedAs;
  readonly folders: Folders;
}

/** The bucket beside, which is never open. */
export const privateBucket = (bucket: string): string => `${bucket}-private`;

/** The first of them, and how many more there are. */
const firstOf = ([first = '', ...others]: readonly string[]): string =>
  `${first}${others.length > 0 ? ` and ${countOf(others.length, 'other')}` : ''}`;

/** @param keys some that nobody may read */
export const cannotKeepPrivate = (store: string, keys: readonly string[]): FenestraError =>
  new FenestraError('STORE_NEEDS_CHOICE', {
    store,
    what: `keep single keys of an open bucket from the public, and nobody may read ${firstOf(keys)}`,
    instead:
      'Write `private: leave-out` into the destination to leave them out, or `private: beside` to keep them in a closed bucket beside it.',
  });

/** @param addresses that have moved */
export const cannotMove = (store: string, addresses: readonly string[]): FenestraError =>
  new FenestraError('STORE_NEEDS_CHOICE', {
    store,
    what: `send visitors on from moved addresses, and moved: has ${firstOf(addresses)}`,
    instead:
      'Write `moved: pages` into the destination to publish small pages that move the visitor on and say so.',
  });

/** @param addresses that stand for everything below them */
export const cannotMoveAll = (store: string, addresses: readonly string[]): FenestraError =>
  new FenestraError('STORE_NEEDS_CHOICE', {
    store,
    what: `send visitors on from every address below a folder, and moved: has ${firstOf(addresses)}, for which no page can stand`,
    instead: 'Name under `moved` each address that has moved, or give this destination a `moved` of its own.',
  });
