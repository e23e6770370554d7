/** The surveyed site with a copy of an application's page at each address of its own that is no pattern. */
import { createReadPolicy } from '../../core/access/read-policy.js';
import { copyKey, exactPaths } from '../../core/hosting/app-page.js';
import type { BucketSettings } from '../../core/hosting/bucket-view.js';
import type { SurveyObject } from '../../core/site/survey.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import { addCopies } from './add-copies.js';

/** @param settings of the site, with its own names. What a file of the site has already stays as it is. */
export function withAppCopies(site: SurveyedSite, settings: BucketSettings): SurveyedSite {
  return addCopies(site, listCopies(site, settings), 'app');
}

function listCopies(site: SurveyedSite, settings: BucketSettings): SurveyObject[] {
  const { apps = [], documents } = settings;
  const exact = apps.map((app) => ({ page: app.page, paths: exactPaths(app) }));
  if (exact.every(({ paths }) => paths.length === 0)) return [];
  const byKey = new Map(site.objects.map((object) => [object.key, object]));
  const policy = createReadPolicy(settings);
  const copies = new Map<string, SurveyObject>();
  for (const { page, paths } of exact) {
    const object = byKey.get(page);
    if (!object) continue;
    for (const path of paths) {
      const key = copyKey(path, documents.index);
      if (byKey.has(key) || byKey.has(key.slice(0, -documents.index.length - 1))) continue;
      const decision = site.cascade.decide(key);
      const { size, digest, path: file, stamp, facts } = object;
      copies.set(key, {
        key,
        size,
        digest,
        headers: decision.headers,
        path: file,
        stamp,
        decision,
        facts,
        public: policy.isReadable(key),
      });
    }
  }
  return [...copies.values()];
}
