/**
 * What a store is signed in to with. It never stands in the config: it comes from the environment, or from a file that
 * its owner alone can read.
 */
import { readFileSync, statSync } from 'node:fs';
import { resolve } from 'node:path';
import { FenestraError } from '../../core/errors/catalogue.js';
import { reasonInWords } from '../../core/errors/system-error.js';

export type Credentials =
  | {
      readonly kind: 'password';
      readonly user: string;
      readonly key: string;
      readonly project?: string;
      readonly userDomain: string;
      readonly projectDomain: string;
    }
  /** An application credential, which is of one project already. */
  | { readonly kind: 'application'; readonly id: string; readonly secret: string };

type Name = 'USER' | 'KEY' | 'PROJECT' | 'USER_DOMAIN' | 'PROJECT_DOMAIN' | 'APPLICATION' | 'SECRET';

/** How the variables of a store begin: `FENESTRA_CLOUD_` for one that is called `cloud`. */
export const prefixOf = (store: string): string =>
  `FENESTRA_${store.toUpperCase().replace(/[^A-Z0-9]/g, '_')}_`;

/**
 * @param file holds lines such as `USER=…`, relative to the config's folder; the environment is used without one
 * @throws FenestraError CREDENTIALS_MISSING, CREDENTIALS_UNSAFE
 */
export function readCredentials(
  store: string,
  folder: string,
  file: string | undefined,
  env: Readonly<Record<string, string | undefined>>,
): Credentials {
  const prefix = prefixOf(store);
  const given = file === undefined ? undefined : readFile(store, resolve(folder, file));
  const get = (name: Name): string | undefined => {
    const value = given ? given.get(name) : env[prefix + name];
    return value === undefined || value === '' ? undefined : value;
  };
  const where = (names: readonly Name[]): string =>
    file === undefined
      ? `set ${names.map((name) => prefix + name).join(' and ')}`
      : `write ${names.map((name) => `${name}=…`).join(' and ')} into ${file}`;
  const [id, secret, user, key, project] = [
    get('APPLICATION'),
    get('SECRET'),
    get('USER'),
    get('KEY'),
    get('PROJECT'),
  ];
  if (id !== undefined || secret !== undefined) {
    if (id === undefined || secret === undefined)
      throw new FenestraError('CREDENTIALS_MISSING', { store, how: where(['APPLICATION', 'SECRET']) });
    return { kind: 'application', id, secret };
  }
  if (user === undefined || key === undefined)
    throw new FenestraError('CREDENTIALS_MISSING', { store, how: where(['USER', 'KEY']) });
  return {
    kind: 'password',
    user,
    key,
    ...(project === undefined ? {} : { project }),
    userDomain: get('USER_DOMAIN') ?? 'Default',
    projectDomain: get('PROJECT_DOMAIN') ?? 'Default',
  };
}

/** @throws FenestraError CREDENTIALS_MISSING, CREDENTIALS_UNSAFE */
function readFile(store: string, path: string): ReadonlyMap<string, string> {
  let text: string;
  try {
    // Whoever else can read it can publish.
    const { mode } = statSync(path);
    if ((mode & 0o077) !== 0) throw new FenestraError('CREDENTIALS_UNSAFE', { path });
    text = readFileSync(path, 'utf8');
  } catch (error) {
    if (error instanceof FenestraError) throw error;
    throw new FenestraError(
      'CREDENTIALS_MISSING',
      { store, how: `give ${path} (${reasonInWords(error)})` },
      error,
    );
  }
  const lines = text.split('\n').flatMap((line): [string, string][] => {
    const at = line.indexOf('=');
    return at < 0 ? [] : [[line.slice(0, at).trim(), line.slice(at + 1).trim()]];
  });
  return new Map(lines);
}
