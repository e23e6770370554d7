/** Keys that a file system takes for one name. */

/** What a file system does not tell apart. */
export interface NameFolding {
  readonly foldsCase: boolean;
  /** Whether composed and decomposed letters are the same to it. */
  readonly normalises: boolean;
}

/** @returns the first two keys that would be one file, or a file and a folder; undefined where all are apart */
export function findMeetingNames(
  keys: readonly string[],
  { foldsCase, normalises }: NameFolding,
): readonly [string, string] | undefined {
  if (!foldsCase && !normalises) return undefined;
  const fold = (key: string): string => {
    const composed = normalises ? key.normalize('NFC') : key;
    // Full case folding is what such file systems do: capital letters first, for those with several forms.
    return foldsCase ? composed.toUpperCase().toLowerCase() : composed;
  };
  /** Each path that will be there, with the key it comes from. */
  const files = new Map<string, string>();
  const folders = new Map<string, string>();
  for (const key of keys) {
    const name = fold(key);
    const other = files.get(name) ?? folders.get(name);
    if (other !== undefined) return [other, key];
    for (let at = name.indexOf('/'); at >= 0; at = name.indexOf('/', at + 1)) {
      const folder = name.slice(0, at);
      const file = files.get(folder);
      if (file !== undefined) return [file, key];
      folders.set(folder, key);
    }
    files.set(name, key);
  }
  return undefined;
}
