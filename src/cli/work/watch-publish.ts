/** Publishing again whenever files change, after a quiet period; a mistake in between is reported and waited out. */
import { watch } from 'node:fs';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { Terminal } from '../terminal.js';
import { openProject, type Project } from './project.js';
import { untilStopped } from './until-stopped.js';

const QUIET_MS = 300;

/** @param publish does one publish of a project that has just been opened */
export async function watchAndPublish(
  project: Project,
  terminal: Terminal,
  publish: (project: Project) => Promise<void>,
): Promise<void> {
  let timer: NodeJS.Timeout | undefined;
  let running = Promise.resolve();
  const again = async (): Promise<void> => {
    try {
      await publish(await openProject({ config: project.config.file, to: project.destination.name }));
    } catch (error) {
      if (!(error instanceof FenestraError)) throw error;
      terminal.remark(`${error.message}\n${error.remedy}\nStill watching.`);
    }
  };
  const changed = (): void => {
    clearTimeout(timer);
    timer = setTimeout(() => {
      running = running.then(again);
    }, QUIET_MS);
  };
  const watchers = [
    watch(project.config.site, { recursive: true }, changed),
    watch(project.config.file, changed),
  ];
  for (const watcher of watchers)
    watcher.on('error', (error) => terminal.remark(`Changes can no longer be followed: ${error.message}`));
  terminal.remark('Watching for changes. Ctrl-C ends it.');
  await untilStopped();
  clearTimeout(timer);
  for (const watcher of watchers) watcher.close();
  await running;
}
