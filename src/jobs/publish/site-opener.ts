/** Objects of the surveyed site, to be read as they are published. */
import type { SiteObject } from '../../core/site/site-object.js';
import type { SurveyObject } from '../../core/site/survey.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import type { BodySource } from '../../stores/port.js';

/** What reads files is loaded with the first that is asked for. */
export type OpenSiteObject = (object: SiteObject) => Promise<Pick<BodySource, 'pieces'> | undefined>;

/** @param folder of the site */
export function siteOpener({ objects, takenAt }: SurveyedSite, folder: string): OpenSiteObject {
  let known: Map<string, SurveyObject> | undefined;
  return async ({ key }) => {
    known ??= new Map(objects.map((object) => [object.key, object]));
    const object = known.get(key);
    if (!object) return undefined;
    const { openObject } = await import('../../disk/rewrite.js');
    return openObject(object, folder, takenAt);
  };
}
