/**
 * Remembering a config that was found good: reading YAML and validating it takes longer than everything else
 * that a survey of an unchanged site does. What is remembered holds for exactly this text, place and build.
 */
import * as crypto from 'node:crypto';
import { readFileSync } from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { makeOwnFolder } from '../files/own-folder.js';
import { writeWhole } from '../files/write-whole.js';
import { deepFreeze } from '../core/release/plain-data.js';
import type { Config } from './config.js';

interface Kept {
  readonly key: string;
  readonly config: Config;
}

const memoPath = (file: string): string => join(dirname(file), '.fenestra', 'survey', 'config.json');

/** Of the text and of what was read from it, so that neither can be exchanged. */
const keyOf = (file: string, text: string, build: string, config: Config): string =>
  crypto.hash('sha256', JSON.stringify([build, file, text, config]), 'hex');

/** The config as it was last found good; undefined when the text, the place or the build is another. */
export function recallConfig(path: string, build: string): Config | undefined {
  const file = resolve(path);
  try {
    const text = readFileSync(file, 'utf8');
    const kept = JSON.parse(readFileSync(memoPath(file), 'utf8')) as Kept;
    return kept.key === keyOf(file, text, build, kept.config) ? deepFreeze(kept.config) : undefined;
  } catch {
    return undefined;
  }
}

/** Remembers a good config. Failing to is only a slower next time. */
export function rememberConfig(config: Config, build: string): void {
  const path = memoPath(config.file);
  try {
    const key = keyOf(config.file, readFileSync(config.file, 'utf8'), build, config);
    makeOwnFolder(dirname(path));
    writeWhole(path, JSON.stringify({ key, config } satisfies Kept));
  } catch {
    // See above.
  }
}
