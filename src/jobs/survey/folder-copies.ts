/** The surveyed site with a copy of each folder's page at the folder's own address. */
import { folderKey, pageKey } from '../../core/hosting/folder-copy.js';
import type { SurveyObject } from '../../core/site/survey.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import { addCopies } from './add-copies.js';

/** The keys of all copies. */
export const listFolderKeys = (objects: readonly SurveyObject[], index: string): string[] =>
  objects.flatMap(({ key, public: isPublic }) => (isPublic ? (folderKey(key, index) ?? []) : []));

/** @param index the name of index documents. What nobody may read gets no copy. */
export function withFolderCopies(site: SurveyedSite, index: string): SurveyedSite {
  const copies = site.objects.flatMap((object): SurveyObject[] => {
    const key = folderKey(object.key, index);
    if (key === undefined || !object.public) return [];
    const { size, digest, headers, path, stamp, decision, facts } = object;
    return [{ key, size, digest, headers, path, stamp, decision, facts, public: true }];
  });
  const { cascade } = site;
  return {
    ...addCopies(site, copies, 'folders'),
    cascade: {
      ...cascade,
      decide: (key, ...more) => cascade.decide(pageKey(key, index), ...more),
      explain: (key, ...more) => cascade.explain(pageKey(key, index), ...more),
    },
  };
}
