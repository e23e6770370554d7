/** The addresses of a project's site: its hosts, and its pages. */
import { isPage } from '../../core/assign/defaults.js';
import { createReadPolicy } from '../../core/access/read-policy.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { BucketSettings } from '../../core/hosting/bucket-view.js';
import { folderKey } from '../../core/hosting/folder-copy.js';
import { quirksOf } from '../../core/hosting/memoized-settings.js';
import { keyToPath } from '../../core/site/key.js';
import type { StoredObject } from '../../core/site/site-object.js';
import type { Project } from '../project/open-project.js';
import { pathInPlace, placeOfSite } from '../project/site-place.js';
import { readTraceRequest } from '../trace/read-request.js';

export const hostsOf = ({ address, destination }: Project): string[] => [
  new URL(address).host,
  ...destination.settings.domains,
];

/** Where browsers find the site: its hosts, and the path of them below which it lies. */
export const placesOf = (
  project: Project,
): { readonly hosts: readonly string[]; readonly place: string } => ({
  hosts: hostsOf(project),
  place: placeOfSite(project),
});

export const urlsOf = (project: Project, paths: readonly string[]): string[] =>
  paths.map((path) => new URL(placeOfSite(project).slice(0, -1) + path, project.address).href);

/** @throws FenestraError URL_INVALID */
export function targetOf(project: Project, path: string): string {
  const { target, url } = readTraceRequest(path);
  if (url && !hostsOf(project).includes(url.host))
    throw new FenestraError('URL_INVALID', {
      url: path,
      reason: `its host is not this site's, which is ${hostsOf(project).join(', ')}`,
    });
  const place = placeOfSite(project);
  if (!url || place === '/') return target;
  const inPlace = pathInPlace(target, place);
  if (inPlace === undefined)
    throw new FenestraError('URL_INVALID', { url: path, reason: `this site lies below ${place}` });
  return inPlace;
}

/** A page by its key and by the path that it answers at. */
export interface PageAddress {
  readonly key: string;
  readonly path: string;
}

/** The path that a page answers at. @param index the name of index documents */
export function pagePath(key: string, index: string): string {
  const isIndex = key === index || key.endsWith(`/${index}`);
  return keyToPath(isIndex ? key.slice(0, -index.length) : key);
}

/** All pages that the public may read, in the order of their keys. */
export async function listPages(
  objects: AsyncIterable<StoredObject> | Iterable<StoredObject>,
  settings: BucketSettings,
): Promise<PageAddress[]> {
  const policy = createReadPolicy(settings);
  const { documents } = settings;
  const inFolders = quirksOf(settings).indexDocuments === 'every-folder';
  const pages: PageAddress[] = [];
  const copies = new Set<string>();
  for await (const { key, headers } of objects) {
    if (!isPage(headers['Content-Type'] ?? '') || !policy.isReadable(key) || key === documents.error)
      continue;
    // The page of its folder follows, under its own name.
    if (key.endsWith('/')) copies.add(key);
    else {
      const folder = folderKey(key, documents.index);
      const answers = inFolders || folder === undefined || copies.has(folder);
      pages.push({ key, path: answers ? pagePath(key, documents.index) : keyToPath(key) });
    }
  }
  return pages;
}
