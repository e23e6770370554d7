/** What the operating system refuses, in words. */
import { FenestraError, systemCode } from './catalogue.js';

const WORDS: ReadonlyMap<string, string> = new Map([
  ['EACCES', 'permission is missing'],
  ['EPERM', 'permission is missing'],
  ['EROFS', 'the file system is read-only'],
  ['ENOENT', 'there is no such file or folder'],
  ['ENOTDIR', 'a part of its path is a file'],
  ['EISDIR', 'it is a folder'],
  ['EEXIST', 'something else is there already'],
  ['ENOTEMPTY', 'the folder is not empty'],
  ['ENOSPC', 'the disk is full'],
  ['EDQUOT', 'the disk quota is used up'],
  ['EFBIG', 'the file would be too large'],
  ['EIO', 'the disk reports an error'],
  ['ELOOP', 'its path goes in a circle'],
  ['ENAMETOOLONG', 'its path is too long'],
  ['EMFILE', 'too many files are open'],
  ['ENFILE', 'too many files are open on this machine'],
  ['EBUSY', 'it is in use'],
  ['ETXTBSY', 'it is in use'],
  ['EXDEV', 'it lies on another disk'],
  ['EPIPE', 'the reader closed it'],
  ['ENOMEM', 'memory is used up'],
  // Of the arguments of a call to the system, only a path's text is anybody's but ours.
  ['ERR_INVALID_ARG_VALUE', 'no path has a null character in it'],
  ['Z_BUF_ERROR', 'its packed data end too early'],
  ['Z_DATA_ERROR', 'its packed data are damaged'],
]);

/** What a code of the system means; the code itself where it has no words here. */
export const systemWords = (code: string): string => WORDS.get(code) ?? code;

/** Why something failed: the system's reason in words, or what the error says. */
export function reasonInWords(error: unknown): string {
  const code = systemCode(error);
  return code === undefined ? String(error instanceof Error ? error.message : error) : systemWords(code);
}

/** An error of the system that no part of Fenestra has named, as one that says what was refused and why. */
export function asSystemError(error: unknown): FenestraError | undefined {
  const code = systemCode(error);
  if (code === undefined || !(error instanceof Error)) return undefined;
  const isNullCharacter = code === 'ERR_INVALID_ARG_VALUE' && error.message.includes('null bytes');
  if (!isNullCharacter && !('syscall' in error)) return undefined;
  const path = 'path' in error && typeof error.path === 'string' ? error.path : undefined;
  const dest = 'dest' in error && typeof error.dest === 'string' ? error.dest : undefined;
  return new FenestraError(
    'SYSTEM_REFUSED',
    { what: dest ?? path ?? 'A file', reason: systemWords(code) },
    error,
  );
}
