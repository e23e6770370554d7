/** Publishing again whenever files change, after a quiet period; a mistake in between is reported and waited out. */
import { FenestraError } from '../../core/errors/catalogue.js';
import { asSystemError } from '../../core/errors/system-error.js';
import { followEdits } from '../project/follow-edits.js';
import { openProject, type Project } from '../project/open-project.js';
import type { Progress } from '../progress.js';

const QUIET_MS = 300;

/**
 * @param stopped settles when watching is to end
 * @param publish does one publish of a project that has just been opened; the first one's errors are thrown
 */
export async function watchAndPublish(
  project: Project,
  progress: Progress,
  stopped: () => Promise<void>,
  publish: (project: Project, first: boolean) => Promise<void>,
): Promise<void> {
  const { config, destination } = project;
  let broke: (error: unknown) => void = () => undefined;
  const broken = new Promise<never>((_, reject) => (broke = reject));
  broken.catch(() => undefined);
  const again = async (): Promise<void> => {
    // When the first one fails, the command ends.
    if (!(await first.then(() => true).catch(() => false))) return;
    try {
      const now = await openProject({ config: config.file, to: destination.name });
      await following.goOnWith(now.config);
      await publish(now, false);
    } catch (error) {
      const known = error instanceof FenestraError ? error : asSystemError(error);
      if (!known) return broke(error);
      progress.remark(`${known.message}\n${known.fix}\nStill watching.`);
    }
  };
  // Before the first publish, so that no change falls between the two.
  const following = await followEdits(config, QUIET_MS, again, progress);
  const first = publish(project, true);
  try {
    await first;
    progress.remark('Watching for changes. Ctrl-C ends it.');
    await Promise.race([stopped(), broken]);
  } finally {
    await following.close();
  }
}
