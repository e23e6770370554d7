/**
 * The surveyed site under the names that it is published with: what the config versions gets a hash in its name, and
 * whatever refers to it is rewritten. The folder itself stays as it is.
 */
import * as crypto from 'node:crypto';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { NameCounts } from '../../core/versioning/naming.js';
import type { VersionedSetting } from '../../core/versioning/versionable.js';
import { groupObjects } from '../../core/site/groups.js';
import type { SurveyObject } from '../../core/site/survey.js';
import { identityOf, type SurveyedSite } from '../../disk/survey-site.js';
import { BUILD } from '../project/build.js';
import type { Project } from '../project/open-project.js';
import { ownHosts } from '../project/own-hosts.js';
import type { Progress } from '../progress.js';
import { listPublished } from './published-objects.js';
import { recallNames, rememberNames, type NamedSummary, type NamedTable } from './remember-names.js';

/** @throws FenestraError FILE_CHANGING, FILE_UNREADABLE, SITE_FAULTS where two objects would get one key */
export async function versionSite(
  project: Project,
  survey: SurveyedSite,
  setting: VersionedSetting,
  progress: Progress,
): Promise<SurveyedSite> {
  const basis = basisOf(project, survey, setting);
  const known = recallNames(project);
  if (known?.summary.basis === basis) {
    let table: NamedTable | undefined;
    return published(survey, known.summary, () => (table ??= known.table()));
  }
  progress.step('name', { objects: survey.count });
  // What reads texts is loaded where something has changed.
  const { nameObjects } = await import('../texts.js');
  const { table, findings } = await nameObjects(project, survey, setting, known?.table(), progress);
  const objects = listPublished(survey.objects, table, survey.cascade);
  assertOwnKeys(objects);
  const summary: NamedSummary = {
    basis,
    identity: identityOf(objects),
    count: objects.length,
    groups: groupObjects(objects),
    findings,
    names: countNames(objects),
  };
  rememberNames(project, summary, table);
  return { ...published(survey, summary, () => table), objects };
}

function published(
  survey: SurveyedSite,
  { identity, count, groups, findings, names }: NamedSummary,
  table: () => NamedTable,
): SurveyedSite {
  const { cascade, walked, takenAt, read } = survey;
  let objects: SurveyObject[] | undefined;
  return {
    get objects() {
      return (objects ??= listPublished(survey.objects, table(), cascade));
    },
    count,
    identity,
    groups,
    findings: [...survey.findings, ...findings],
    names,
    cascade,
    walked,
    takenAt,
    read,
  };
}

/** @param objects under the names that they are published with */
function countNames(objects: readonly SurveyObject[]): NameCounts {
  const versioned = new Set(objects.flatMap(({ plain }) => plain ?? []));
  const both = objects.filter(({ key, plain }) => plain === undefined && versioned.has(key));
  return {
    versioned: versioned.size,
    plainToo: { objects: both.length, bytes: both.reduce((sum, { size }) => sum + size, 0) },
  };
}

/** Everything that the names depend on. */
const basisOf = (project: Project, survey: SurveyedSite, setting: VersionedSetting): string => {
  const { documents, moved, quirks } = project.destination.settings;
  const parts = [BUILD ?? 'unbundled', survey.identity, setting, documents, moved, quirks, ownHosts(project)];
  return crypto.hash('sha256', JSON.stringify(parts), 'hex');
};

/** @throws FenestraError SITE_FAULTS */
function assertOwnKeys(objects: readonly SurveyObject[]): void {
  const faults: string[] = [];
  for (let at = 1; at < objects.length; at++) {
    const [one, two] = [objects[at - 1], objects[at]];
    if (one && two && one.key === two.key)
      faults.push(
        `${JSON.stringify(one.path)} and ${JSON.stringify(two.path)} become one key, ${JSON.stringify(one.key)}: rename one of them`,
      );
  }
  if (faults.length > 0)
    throw new FenestraError('SITE_FAULTS', {
      faults: faults.join('\n'),
      count: faults.length === 1 ? 'it' : `all ${faults.length}`,
    });
}
