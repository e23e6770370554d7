import type { Project } from '../project/open-project.js';
import type { ComparisonInput } from './compare-with-bucket.js';

/** What reads texts is loaded where something may have to stay. */
export const postponing =
  (project: Pick<Project, 'config'>): NonNullable<ComparisonInput['postpone']> =>
  async (snapshot, entries, now) => {
    const { postponeRemovals } = await import('../texts.js');
    return postponeRemovals(project, snapshot, entries, now);
  };
