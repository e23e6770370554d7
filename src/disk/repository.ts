/** The repository that a project is in: what reads reports takes names from its root. */
import { existsSync } from 'node:fs';
import { dirname, join, relative, sep } from 'node:path';

export interface PlacesInRepository {
  /** The folder of the config, with its closing slash; '' where it is the root. */
  readonly folder: string;
  /** The site folder, the same way; absolute where it is outside. */
  readonly site: string;
}

/** @param folder of the config @param site the site folder; both absolute */
export function placesInRepository(folder: string, site: string): PlacesInRepository {
  const root = rootOf(folder);
  return { folder: placeIn(root, folder), site: placeIn(root, site) };
}

/** Without a repository it is the config's own folder. */
function rootOf(folder: string): string {
  for (let each = folder; ; each = dirname(each)) {
    if (existsSync(join(each, '.git'))) return each;
    if (each === dirname(each)) return folder;
  }
}

function placeIn(root: string, path: string): string {
  const place = relative(root, path).split(sep).join('/');
  if (place === '') return '';
  return place === '..' || place.startsWith('../') ? `${path}/` : `${place}/`;
}
