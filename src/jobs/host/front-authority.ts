/** Where the authority of this machine lies: under XDG_DATA_HOME, its key for its owner alone. */
import { createHash } from 'node:crypto';
import { chmodSync, readFileSync, statSync } from 'node:fs';
import { hostname } from 'node:os';
import { join } from 'node:path';
import { isWithin } from '../../core/dns/domain-name.js';
import { FenestraError, systemCode } from '../../core/errors/catalogue.js';
import { dataHome } from '../../files/base-folders.js';
import { writeWhole } from '../../files/write-whole.js';
import type { Pair } from '../../server/front/authority.js';
import { makeFolder } from '../../files/make-folder.js';

/** Names that are nobody's, and this machine's. */
const OWN = ['localhost', 'example', 'test'];

export interface KeptAuthority {
  readonly pair: Pair;
  /** Of its certificate. */
  readonly path: string;
  /** Names below which it may sign. */
  readonly names: readonly string[];
}

const dataFolder = (): string => join(dataHome(), 'fenestra');

/** One that may sign for the hosts of a site; the same each time. @throws FenestraError AUTHORITY_UNWRITABLE, AUTHORITY_UNSAFE */
export async function keepAuthority(hosts: readonly string[]): Promise<KeptAuthority> {
  const more = hosts.filter((host) => !OWN.some((name) => isWithin(host, name)));
  const names = [...OWN, ...[...new Set(more)].sort()];
  const mark =
    more.length === 0 ? '' : `-${createHash('sha256').update(names.join()).digest('hex').slice(0, 8)}`;
  const folder = dataFolder();
  const [path, keyPath] = [join(folder, `authority${mark}.pem`), join(folder, `authority${mark}.key`)];
  assertOwnKey(keyPath);
  const { isGood, makeAuthority } = await import('../../server/front/authority.js');
  try {
    const pair = { cert: readFileSync(path, 'utf8'), key: readFileSync(keyPath, 'utf8') };
    if (isGood(pair.cert)) return { pair, path, names };
  } catch {
    // There is none yet, or none that can be read.
  }
  const pair = await makeAuthority(names, hostname());
  try {
    makeFolder(folder, 0o700);
    writeWhole(keyPath, pair.key, { mode: 0o600, durable: true });
    chmodSync(keyPath, 0o600);
    writeWhole(path, pair.cert, { mode: 0o644 });
  } catch (error) {
    throw new FenestraError(
      'AUTHORITY_UNWRITABLE',
      { path: folder, reason: String(systemCode(error) ?? error) },
      error,
    );
  }
  return { pair, path, names };
}

/** Whoever else can read the key can speak for every host that this machine trusts it for. @throws FenestraError AUTHORITY_UNSAFE */
function assertOwnKey(path: string): void {
  const mode = statSync(path, { throwIfNoEntry: false })?.mode ?? 0;
  if ((mode & 0o077) !== 0) throw new FenestraError('AUTHORITY_UNSAFE', { path });
}
