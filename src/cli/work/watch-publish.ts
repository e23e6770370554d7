/** Publishing again whenever files change, after a quiet period; a mistake in between is reported and waited out. */
import { existsSync, realpathSync } from 'node:fs';
import { dirname, join, sep } from 'node:path';
import type { FSWatcher } from 'chokidar';
import type { Config } from '../../config/shape.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { Terminal } from '../terminal.js';
import { openProject, type Project } from './project.js';
import { untilStopped } from './until-stopped.js';

const QUIET_MS = 300;

/** @param publish does one publish of a project that has just been opened; the first one's errors are thrown */
export async function watchAndPublish(
  project: Project,
  terminal: Terminal,
  publish: (project: Project, first: boolean) => Promise<void>,
): Promise<void> {
  let { config } = project;
  let timer: NodeJS.Timeout | undefined;
  let broke: (error: unknown) => void = () => undefined;
  const broken = new Promise<never>((_, reject) => (broke = reject));
  const again = async (): Promise<void> => {
    try {
      const now = await openProject({ config: config.file, to: project.destination.name });
      if (now.config.site !== config.site) {
        await watcher.close();
        watcher = await follow(now.config, changed, terminal);
      }
      config = now.config;
      await publish(now, false);
    } catch (error) {
      if (!(error instanceof FenestraError)) throw error;
      terminal.remark(`${error.message}\n${error.remedy}\nStill watching.`);
    }
  };
  const changed = (): void => {
    clearTimeout(timer);
    timer = setTimeout(() => void (running = running.then(again).catch(broke)), QUIET_MS);
  };
  // Before the first publish, so that no change falls between the two.
  let watcher = await follow(config, changed, terminal);
  let running = publish(project, true);
  try {
    await running;
    terminal.remark('Watching for changes. Ctrl-C ends it.');
    await Promise.race([untilStopped(), broken]);
  } finally {
    clearTimeout(timer);
    await watcher.close();
    await running;
  }
}

/**
 * Follows the site folder and the config through their parents, so that a folder that is built anew and a file that
 * an editor puts in the place of the old one are still followed.
 */
async function follow(config: Config, changed: () => void, terminal: Terminal): Promise<FSWatcher> {
  const { watch } = await import('chokidar');
  const site = existsSync(config.site) ? realpathSync(config.site) : config.site;
  const roots = [...new Set([dirname(site), config.folder])];
  // What publishing itself writes is no change, even where it lies in the site.
  const own = [join(config.folder, '.fenestra'), config.storeFolder];
  const within = (path: string, folder: string): boolean => path === folder || path.startsWith(folder + sep);
  const watcher = watch(roots, {
    ignoreInitial: true,
    ignorePermissionErrors: true,
    followSymlinks: false,
    ignored: (path) =>
      !roots.includes(path) &&
      path !== config.file &&
      (!within(path, site) || own.some((folder) => within(path, folder))),
  });
  watcher.on('all', changed);
  watcher.on('error', (error) =>
    terminal.remark(
      `Changes can no longer be followed: ${error instanceof Error ? error.message : String(error)}`,
    ),
  );
  await new Promise<void>((ready) => watcher.once('ready', ready));
  return watcher;
}
