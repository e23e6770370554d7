/** The surveyed site with copies of some of its objects under other keys. */
import * as crypto from 'node:crypto';
import { groupObjects } from '../../core/site/groups.js';
import { compareKeys } from '../../core/site/key.js';
import type { SurveyObject } from '../../core/site/survey.js';
import type { SurveyedSite } from '../../disk/survey-site.js';

/** @param kind tells sites apart that have the same objects for other reasons */
export function addCopies(site: SurveyedSite, copies: readonly SurveyObject[], kind: string): SurveyedSite {
  if (copies.length === 0) return site;
  const objects = [...site.objects, ...copies].sort((a, b) => compareKeys(a.key, b.key));
  const { identity, findings, cascade, walked, takenAt, read } = site;
  const names = copies.map(({ key }) => key).join('\0');
  return {
    objects,
    count: objects.length,
    identity: crypto.hash('sha256', `${identity}\0${kind}\0${names}`, 'hex'),
    findings,
    groups: groupObjects(objects),
    cascade,
    walked,
    takenAt,
    read,
  };
}
