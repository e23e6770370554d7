/** A copy of a release as a site that can be published: each object with the bytes and headers that it has there. */
import { statSync } from 'node:fs';
import { join } from 'node:path';
import { createReadPolicy } from '../../core/access/read-policy.js';
import { createCascade } from '../../core/assign/cascade.js';
import { groupObjects } from '../../core/site/groups.js';
import { NO_FACTS } from '../../core/site/site-object.js';
import type { SurveyObject } from '../../core/site/survey.js';
import { identityOf, type SurveyedSite } from '../../disk/survey-site.js';
import type { Project } from '../project/open-project.js';
import type { Copy } from './read-copy.js';

/** The project with the copy as its site, and with the settings that its objects need. */
export function importSite(
  project: Project,
  { folder, objects: copied }: Copy,
): { readonly project: Project; readonly site: SurveyedSite } {
  const { config, destination } = project;
  const policy = createReadPolicy(destination.settings);
  const takenAt = Date.now();
  const objects = copied.map(({ key, plainKey, size, digest, headers, path }): SurveyObject => {
    const { mtimeMs, ctimeMs, ino: inode } = statSync(join(folder, path));
    return {
      ...{ key, size, digest, headers, path },
      ...(plainKey === undefined ? {} : { plain: plainKey }),
      stamp: { size, mtimeMs, ctimeMs, inode },
      decision: { headers, cacheWords: '', decidedBy: {} },
      facts: NO_FACTS,
      public: policy.isReadable(plainKey ?? key),
    };
  });
  const isVersioned = objects.some(({ plain }) => plain !== undefined);
  const settings = isVersioned ? { ...destination.settings, versioned: true as const } : destination.settings;
  return {
    project: {
      ...project,
      config: { ...config, site: folder },
      destination: { ...destination, settings },
    },
    site: {
      objects,
      count: objects.length,
      identity: identityOf(objects),
      findings: [],
      groups: groupObjects(objects),
      cascade: createCascade(config.assignments),
      walked: { links: [], own: [], idle: [], leftOut: 0 },
      takenAt,
      read: objects.length,
    },
  };
}
