/** Noticing that something in the site folder or the config has changed. */
import { existsSync, realpathSync } from 'node:fs';
import { dirname, join, sep } from 'node:path';
import type { FSWatcher } from 'chokidar';
import type { Config } from '../../config/config.js';
import type { Progress } from '../progress.js';

export interface Following {
  /** Goes on with a config that was read anew, which may name another site folder. */
  goOnWith(config: Config): Promise<void>;
  /** Calls `changed` at once, after what is at work. */
  lookNow(): Promise<void>;
  close(): Promise<void>;
}

/**
 * @param quiet milliseconds
 * @param changed called once the quiet period after a change is over, never while it is still at work; never rejects
 */
export async function followEdits(
  first: Config,
  quiet: number,
  changed: () => Promise<void>,
  progress: Progress,
): Promise<Following> {
  let site = whereItLies(first);
  let timer: NodeJS.Timeout | undefined;
  const note = (): void => {
    clearTimeout(timer);
    timer = setTimeout(begin, quiet);
  };
  let atWork: Promise<void> | undefined;
  const begin = (): void => {
    if (atWork) return note();
    atWork = changed().finally(() => (atWork = undefined));
  };
  let next: Promise<void> | undefined;
  const lookNow = async (): Promise<void> => {
    await atWork;
    atWork ??= changed().finally(() => (atWork = undefined));
    await atWork;
  };
  let watcher = await watchBoth(first, note, progress);
  return {
    async goOnWith(config) {
      if (whereItLies(config) === site) return;
      await watcher.close();
      watcher = await watchBoth(config, note, progress);
      site = whereItLies(config);
    },
    // Whoever asks while somebody waits for the next look gets the same one.
    lookNow: () => (next ??= lookNow().finally(() => (next = undefined))),
    async close() {
      await watcher.close();
      clearTimeout(timer);
      await atWork;
    },
  };
}

/** The site folder itself: `site` may be a link that is turned to another build. */
const whereItLies = ({ site }: Config): string => (existsSync(site) ? realpathSync(site) : site);

/**
 * Watches the site folder and the config through their parents, so that a folder that is built anew and a file that an
 * editor puts in the place of the old one are still followed.
 */
async function watchBoth(config: Config, note: () => void, progress: Progress): Promise<FSWatcher> {
  const { watch } = await import('chokidar');
  const site = whereItLies(config);
  const roots = [...new Set([dirname(site), dirname(config.site), config.folder])];
  // What Fenestra itself writes is no change, even where it lies in the site.
  const own = [join(config.folder, '.fenestra'), config.storeFolder];
  const within = (path: string, folder: string): boolean => path === folder || path.startsWith(folder + sep);
  const watcher = watch(roots, {
    ignoreInitial: true,
    ignorePermissionErrors: true,
    followSymlinks: false,
    ignored: (path) =>
      !roots.includes(path) &&
      path !== config.file &&
      path !== config.site &&
      (!within(path, site) || own.some((folder) => within(path, folder))),
  });
  watcher.on('all', (_event, path) => {
    // A link is told of once more when watching it begins; what counts is where it leads.
    if (path !== config.site || path === site || whereItLies(config) !== site) note();
  });
  watcher.on('error', (error) =>
    progress.remark(
      `Changes can no longer be followed: ${error instanceof Error ? error.message : String(error)}`,
    ),
  );
  await new Promise<void>((ready) => watcher.once('ready', ready));
  return watcher;
}
