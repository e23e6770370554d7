/** Publishing again whenever files change, after a quiet period; a mistake in between is reported and waited out. */
import { FenestraError } from '../../core/errors/catalogue.js';
import { visible } from '../../report/text/paint.js';
import type { Terminal } from '../terminal.js';
import { followEdits } from './follow-edits.js';
import { openProject, type Project } from './project.js';
import { untilStopped } from './until-stopped.js';

const QUIET_MS = 300;

/** @param publish does one publish of a project that has just been opened; the first one's errors are thrown */
export async function watchAndPublish(
  project: Project,
  terminal: Terminal,
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
      if (!(error instanceof FenestraError)) return broke(error);
      terminal.remark(visible(`${error.message}\n${error.fix}\nStill watching.`));
    }
  };
  // Before the first publish, so that no change falls between the two.
  const following = await followEdits(config, QUIET_MS, again, terminal);
  const first = publish(project, true);
  try {
    await first;
    terminal.remark('Watching for changes. Ctrl-C ends it.');
    await Promise.race([untilStopped(), broken]);
  } finally {
    await following.close();
  }
}
