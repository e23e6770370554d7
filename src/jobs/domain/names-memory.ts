/** What was seen of the names of a project, kept in its folder: after a move nothing shows it any more. */
import { readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import type { ObservedName } from '../../core/dns/observed-names.js';
import { writeWhole } from '../../files/write-whole.js';
import { makeFolder } from '../../files/make-folder.js';

interface Kept {
  readonly format: 1;
  readonly names: Readonly<Record<string, readonly ObservedName[]>>;
}

const MAX_NAMES = 500;

const pathOf = (folder: string): string => join(folder, '.fenestra', 'names.json');

const isSeen = (value: unknown): value is ObservedName => {
  const { since, ns, own, parentNs, zoneNs, negative, addresses } = (value ?? {}) as Partial<ObservedName>;
  return (
    [since, parentNs, zoneNs, negative].every((each) => typeof each === 'number') &&
    Array.isArray(ns) &&
    Array.isArray(own) &&
    typeof addresses === 'object'
  );
};

/** One that is absent or damaged remembers nothing. */
export function readNamesMemory(folder: string): Map<string, readonly ObservedName[]> {
  try {
    const { format, names } = JSON.parse(readFileSync(pathOf(folder), 'utf8')) as Kept;
    if (format !== 1) return new Map();
    return new Map(Object.entries(names).map(([name, seen]) => [name, seen.filter(isSeen)]));
  } catch {
    return new Map();
  }
}

/** What cannot be kept is missed the next time, and nothing else. @returns whether it was kept */
export function writeNamesMemory(
  folder: string,
  names: ReadonlyMap<string, readonly ObservedName[]>,
): boolean {
  const path = pathOf(folder);
  try {
    makeFolder(dirname(path));
    const kept: Kept = { format: 1, names: Object.fromEntries([...names].slice(-MAX_NAMES)) };
    writeWhole(path, JSON.stringify(kept));
    return true;
  } catch {
    return false;
  }
}
