/** What is wrong with names on disk, in words: names that make no key, and names that make the same one. */
import { MAX_KEY_BYTES, type KeyFault } from '../core/site/key.js';
import type { SiteFile } from './file-list.js';

export function describeKeyFault(path: string, fault: KeyFault): string {
  const shown = JSON.stringify(path.length > 90 ? `${path.slice(0, 60)}…${path.slice(-20)}` : path);
  switch (fault) {
    case 'too-long':
      return `${shown} makes a key of ${Buffer.byteLength(path.normalize('NFC'))} bytes; a store takes ${MAX_KEY_BYTES}: shorten its folders or its name`;
    case 'control-character':
      return `${shown} has a control character in its name, which no address can carry: rename it`;
    case 'not-unicode':
      return `${shown} has a name that is not UTF-8: rename it`;
    case 'empty':
      return `${shown} makes an empty key: rename it`;
  }
}

export function meetingKeys(files: readonly SiteFile[]): string[] {
  const faults: string[] = [];
  for (let at = 1; at < files.length; at++) {
    const [one, two] = [files[at - 1], files[at]];
    if (one && two && one.key === two.key) {
      faults.push(
        `${describeName(one.path)} and ${describeName(two.path)} become one key, ${JSON.stringify(two.key)}: rename one of them`,
      );
    }
  }
  return faults;
}

/** Names that look alike are told apart by their Unicode form. */
const describeName = (path: string): string =>
  `${JSON.stringify(path)} (${path === path.normalize('NFC') ? 'composed' : 'decomposed'} letters)`;
