/** The surveyed site with a copy of an application's page at each address of its own that is no pattern. */
import * as crypto from 'node:crypto';
import { createReadPolicy } from '../../core/access/read-policy.js';
import { copyKey, exactPaths } from '../../core/hosting/app-page.js';
import type { BucketSettings } from '../../core/hosting/bucket-view.js';
import { groupObjects } from '../../core/site/groups.js';
import { compareKeys } from '../../core/site/key.js';
import type { SurveyObject } from '../../core/site/survey.js';
import type { SurveyedSite } from '../../disk/survey-site.js';

/** @param settings of the site, with its own names. What a file of the site has already stays as it is. */
export function withAppCopies(site: SurveyedSite, settings: BucketSettings): SurveyedSite {
  const copies = listCopies(site, settings);
  if (copies.length === 0) return site;
  const objects = [...site.objects, ...copies].sort((a, b) => compareKeys(a.key, b.key));
  const { identity, findings, cascade, walked, takenAt, read } = site;
  const names = copies.map(({ key }) => key).join('\0');
  return {
    objects,
    count: objects.length,
    identity: crypto.hash('sha256', `${identity}\0app\0${names}`, 'hex'),
    findings,
    groups: groupObjects(objects),
    cascade,
    walked,
    takenAt,
    read,
  };
}

function listCopies(site: SurveyedSite, { apps = [], documents, readable }: BucketSettings): SurveyObject[] {
  const exact = apps.map((app) => ({ page: app.page, paths: exactPaths(app) }));
  if (exact.every(({ paths }) => paths.length === 0)) return [];
  const byKey = new Map(site.objects.map((object) => [object.key, object]));
  const policy = createReadPolicy(readable);
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
