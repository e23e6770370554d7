import type * as Fs from 'node:fs';
import { mkdtempSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it, test, vi } from 'vitest';
import { openPublished } from './read-file.js';
import { isOlder } from './time-step.js';

/** Milliseconds to which a file system cuts its times; 0 for as they are. */
const step = vi.hoisted(() => ({ ms: 0 }));
vi.mock('node:fs', async (original) => {
  const fs = await original<typeof Fs>();
  const cut = (time: number): number => (step.ms === 0 ? time : Math.floor(time / step.ms) * step.ms);
  const coarse = (stats: Fs.Stats): object =>
    Object.assign(stats, { mtimeMs: cut(stats.mtimeMs), ctimeMs: cut(stats.ctimeMs) });
  return {
    ...fs,
    statSync: (path: string) => coarse(fs.statSync(path)),
    fstatSync: (file: number) => coarse(fs.fstatSync(file)),
  };
});

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'fenestra-read-'));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const stampOf = (path: string) => {
  const { size, mtimeMs, ctimeMs, ino } = statSync(path);
  return { size, mtimeMs, ctimeMs, inode: ino };
};

describe('whether bytes are believed to be those of the survey', () => {
  test.each([0, 1000, 2000])('not when they may have changed within a time step of %i ms', (ms) => {
    step.ms = ms;
    const path = join(folder, `coarse-${ms}.txt`);
    writeFileSync(path, 'aaaa');
    const stamp = stampOf(path);
    // Surveyed at the end of the step in which it was written; then written again in the same step, the same size.
    const surveyedAt = stamp.ctimeMs + Math.max(ms, 1) - 1;
    expect(openPublished(path, stamp, surveyedAt, undefined).read().verified).toBe(false);
    // The same times and the same size: only their age tells.
    writeFileSync(path, 'bbbb');
    expect(openPublished(path, stampOf(path), surveyedAt, undefined).read().verified).toBe(false);
    expect(openPublished(path, stampOf(path), surveyedAt + 60_000, undefined).read().verified).toBe(true);
    step.ms = 0;
  });

  it('not when anything about the file is another, and a file that is gone is no defect', () => {
    const path = join(folder, 'other.txt');
    writeFileSync(path, 'aaaa');
    const stamp = stampOf(path);
    const later = Date.now() + 60_000;
    const read = (change: object) => openPublished(path, { ...stamp, ...change }, later, undefined).read();
    expect(read({}).verified).toBe(true);
    for (const change of [{ size: 5 }, { mtimeMs: 1 }, { ctimeMs: 1 }, { inode: 1 }])
      expect(read(change).verified).toBe(false);
    const source = openPublished(path, stamp, later, undefined);
    rmSync(path);
    expect(() => source.read()).toThrow(expect.objectContaining({ code: 'FILE_CHANGING' }));
  });

  it('never when the bytes are compressed on the way', () => {
    const path = join(folder, 'packed.txt');
    writeFileSync(path, 'aaaa');
    expect(openPublished(path, stampOf(path), Date.now() + 60_000, 'gzip').read().verified).toBe(false);
  });
});

test.each([
  [0, 0, false],
  [-1999, -1999, false],
  [-2001, -2001, true],
  [-2001, -1, false],
  [-1, -2001, false],
])('touched %i and %i ms from the walk: older %s', (ctime, mtime, older) => {
  expect(isOlder({ ctimeMs: 10_000 + ctime, mtimeMs: 10_000 + mtime }, 10_000)).toBe(older);
});
