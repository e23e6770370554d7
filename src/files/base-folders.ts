/** Base directories of the user (XDG Base Directory Specification): one that is empty or relative counts as unset. */
import { homedir } from 'node:os';
import { isAbsolute, join } from 'node:path';

/** Where what belongs to a user and not to a project is kept. */
export const dataHome = (env: NodeJS.ProcessEnv = process.env): string =>
  baseFolder(env['XDG_DATA_HOME'], '.local', 'share');

/** Where what can be made anew at any time is kept. */
export const cacheHome = (env: NodeJS.ProcessEnv = process.env): string =>
  baseFolder(env['XDG_CACHE_HOME'], '.cache');

const baseFolder = (given: string | undefined, ...usual: string[]): string =>
  given !== undefined && isAbsolute(given) ? given : join(homedir(), ...usual);
