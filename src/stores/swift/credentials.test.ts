import { chmodSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, expect, it } from 'vitest';
import { FenestraError } from '../../core/errors/catalogue.js';
import { prefixOf, readCredentials } from './credentials.js';

let folder: string;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'fenestra-credentials-'));
});
afterEach(() => rmSync(folder, { recursive: true }));

/** What is said where it fails: what happened, and what to do. */
function failure(read: () => unknown): string {
  try {
    read();
  } catch (error) {
    return error instanceof FenestraError ? `${error.message} ${error.fix}` : String(error);
  }
  return 'it did not fail';
}

const DOMAINS = { userDomain: 'Default', projectDomain: 'Default' };

it.each([
  ['cloud', 'FENESTRA_CLOUD_'],
  ['my-store.2', 'FENESTRA_MY_STORE_2_'],
])('the variables of a store called %s begin with %s', (name, prefix) => {
  expect(prefixOf(name)).toBe(prefix);
});

it.each<[string, Record<string, string>, object | RegExp]>([
  ['user and key', { USER: 'u', KEY: 'k' }, { kind: 'password', user: 'u', key: 'k', ...DOMAINS }],
  [
    'a project and its domain',
    { USER: 'u', KEY: 'k', PROJECT: 'p', PROJECT_DOMAIN: 'd' },
    { kind: 'password', user: 'u', key: 'k', project: 'p', userDomain: 'Default', projectDomain: 'd' },
  ],
  [
    'an application credential',
    { APPLICATION: 'a', SECRET: 's' },
    { kind: 'application', id: 'a', secret: 's' },
  ],
  [
    'it before a user',
    { APPLICATION: 'a', SECRET: 's', USER: 'u' },
    { kind: 'application', id: 'a', secret: 's' },
  ],
  ['half of one', { APPLICATION: 'a' }, /CLOUD_APPLICATION and FENESTRA_CLOUD_SECRET/],
  ['an empty key', { USER: 'u', KEY: '' }, /CLOUD_USER and FENESTRA_CLOUD_KEY/],
  ['nothing', {}, /FENESTRA_CLOUD_USER/],
])('signs in with %s', (_name, given, expected) => {
  const env = Object.fromEntries(
    Object.entries(given).map(([name, value]) => [`FENESTRA_CLOUD_${name}`, value]),
  );
  const read = () => readCredentials('cloud', folder, undefined, env);
  if (expected instanceof RegExp) expect(failure(read)).toMatch(expected);
  else expect(read()).toEqual(expected);
  // The same from a file that its owner alone can read; the environment plays no part then.
  const file = join(folder, 'secrets');
  writeFileSync(
    file,
    Object.entries(given)
      .map(([name, value]) => `${name}=${value}\n`)
      .join(''),
    { mode: 0o600 },
  );
  const fromFile = () =>
    readCredentials('cloud', folder, 'secrets', {
      FENESTRA_CLOUD_USER: 'other',
      FENESTRA_CLOUD_KEY: 'other',
    });
  if (expected instanceof RegExp) expect(failure(fromFile)).toMatch(/into secrets/);
  else expect(fromFile()).toEqual(expected);
});

it('takes no file that others can read, or that is not there', () => {
  const file = join(folder, 'secrets');
  writeFileSync(file, 'USER=u\nKEY=k\n');
  for (const mode of [0o640, 0o604, 0o644]) {
    chmodSync(file, mode);
    expect(() => readCredentials('cloud', folder, 'secrets', {})).toThrow(FenestraError);
  }
  expect(failure(() => readCredentials('cloud', folder, 'nothing', {}))).toMatch(/nothing/);
});
