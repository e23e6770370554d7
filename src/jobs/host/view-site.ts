/** The site folder as it was surveyed, as a release that is yet to be: open, and published just now. */
import type { BucketSettings, BucketView } from '../../core/hosting/bucket-view.js';
import { lookUpIn } from '../../core/hosting/find-in.js';
import { siteObject, type StoredObject } from '../../core/site/site-object.js';
import type { SurveyedSite } from '../../disk/survey-site.js';

export interface SiteView {
  readonly view: BucketView;
  /** In key order. */
  readonly objects: readonly StoredObject[];
}

/** @param since when it is taken to be published: milliseconds since the epoch */
export function viewSite(
  { objects: surveyed }: SurveyedSite,
  name: string,
  settings: BucketSettings,
  since: number,
): SiteView {
  const objects = surveyed.map((object): StoredObject => ({ ...siteObject(object), since }));
  return { objects, view: { name, access: 'open', release: 0, settings, ...lookUpIn(objects) } };
}
