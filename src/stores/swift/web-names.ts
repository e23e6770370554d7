/**
 * Under which names a container's documents answer. As the store is made to be used, they are the site's own, and each
 * page of a folder is another for itself. Where the site is turned, every release has names of its own for them
 * (`visit/index.r2.html`, `404r2.html`): they lie beside those of the release before, and one setting of the container
 * turns all of them at once.
 */
import { fileName } from '../../core/site/key.js';
import { errorKey } from '../../core/hosting/app-page.js';
import type { BucketSettings } from '../../core/hosting/bucket-view.js';

export interface WebNames {
  /** The name of a folder's page within the folder. */
  readonly index: string;
  /** The name that the store puts a status before; null where there is no error document. */
  readonly error: string | null;
}

/** Names that a container was set to before: a proxy that remembers by itself may go on asking for them. */
export interface FormerNames extends WebNames {
  /** Milliseconds since the epoch. */
  readonly until: number;
}

/** No file of a site is called so. */
export const NO_NAMES: WebNames = { index: '', error: null };

export interface Web {
  readonly now: WebNames;
  readonly before: readonly FormerNames[];
}

/** For how long a proxy remembers what a container was. Milliseconds. */
export const REMEMBERED_MS = 60_000;

export const plainNames = (settings: BucketSettings): WebNames => ({
  index: settings.documents.index,
  error: errorKey(settings),
});

/** The store puts the status before the name: it answers with `404not-found.html`. */
export const errorCopies = ({ error }: Pick<WebNames, 'error'>): readonly string[] =>
  error === null ? [] : [`404${error}`, `401${error}`];

/** Whether a key is the page of a folder. */
export const isFolderPage = (key: string, { index }: WebNames): boolean => fileName(key) === index;

/** A folder's page under other names. */
export const folderPage = (key: string, { index }: WebNames): string =>
  key.slice(0, key.length - fileName(key).length) + index;

/** `index.html` as `index.r2.html`. */
function marked(name: string, mark: string): string {
  const dot = name.lastIndexOf('.');
  return dot <= 0 ? `${name}.${mark}` : `${name.slice(0, dot)}.${mark}${name.slice(dot)}`;
}

/** The names of one release. @param isTaken whether the site has an object of some file name itself */
export function namesOfRelease(
  release: number,
  { index, error }: WebNames,
  isTaken: (name: string) => boolean,
): WebNames {
  for (let tries = 0; ; tries++) {
    const mark = `r${release}${tries === 0 ? '' : `-${tries}`}`;
    const names = { index: marked(index, mark), error: error === null ? null : `${mark}.html` };
    if (![names.index, ...errorCopies(names)].some(isTaken)) return names;
  }
}

/** Whether something lies there as a document under other names than the site's own. @param plain the site's own */
export function isDocumentCopy(name: string, all: readonly WebNames[], plain: WebNames): boolean {
  return all.some(
    (names) =>
      errorCopies(names).includes(name) || (names.index !== plain.index && fileName(name) === names.index),
  );
}
