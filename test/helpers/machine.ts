/** What tests need of a machine beside git and Node.js. Where it is missing, a test is skipped with a word on what it lacks. */
import { spawnSync } from 'node:child_process';
import { accessSync, constants, existsSync } from 'node:fs';
import { join } from 'node:path';
import { describe, type TestContext } from 'vitest';

const onPath = (program: string): boolean =>
  [...(process.env['PATH'] ?? '').split(':'), '/usr/sbin'].some((folder) => {
    try {
      accessSync(join(folder, program), constants.X_OK);
      return true;
    } catch {
      return false;
    }
  });
/** Whether a program does its work here, and not only lies there. */
const runs = (program: string, ...words: string[]): boolean =>
  spawnSync(program, words, { stdio: 'ignore', timeout: 10_000 }).status === 0;
const asRoot = (): boolean => process.getuid?.() === 0;
const isThere =
  (path: string): (() => boolean) =>
  () =>
    existsSync(path);

/** Whether packages can be had. Asked in a process of its own, by a resolver that no thread waits for. */
const ASK_REGISTRY = `
const { Resolver } = require('node:dns/promises');
const { connect } = require('node:net');
const { env } = process;
const { hostname, port, protocol } = new URL(
  env.https_proxy || env.HTTPS_PROXY || env.npm_config_registry || 'https://registry.npmjs.org',
);
setTimeout(() => process.exit(1), 8000);
new Resolver({ timeout: 3000, tries: 2 })
  .resolve4(hostname)
  .catch(() => [hostname])
  .then(([address]) => {
    connect(Number(port || (protocol === 'http:' ? 80 : 443)), address)
      .on('connect', () => process.exit(0))
      .on('error', () => process.exit(1));
  });`;

/** What is needed, whether it is there, and what gives it. */
const NEEDS = {
  Chromium: [isThere('/usr/bin/chromium'), 'apt-get install chromium'],
  curl: [() => onPath('curl'), 'apt-get install curl'],
  'a pseudo-terminal': [
    () => runs('script', '-qec', 'true', '/dev/null'),
    'apt-get install bsdutils, and /dev/pts',
  ],
  'a disk of its own': [() => asRoot() && onPath('mount'), 'root, and apt-get install mount'],
  'another user': [() => asRoot() && onPath('setpriv'), 'root, and apt-get install util-linux'],
  namespaces: [() => runs('unshare', '-rn', 'true'), 'apt-get install util-linux, outside of a container'],
  openssl: [() => onPath('openssl'), 'apt-get install openssl'],
  certutil: [() => onPath('certutil'), 'apt-get install libnss3-tools'],
  'python3-doc': [isThere('/usr/share/doc/python3.11/html'), 'apt-get install python3-doc'],
  'git-doc': [isThere('/usr/share/doc/git-doc/git.html'), 'apt-get install git-doc'],
  novnc: [isThere('/usr/share/novnc'), 'apt-get install novnc'],
  Swift: [isThere('/usr/bin/swift-proxy-server'), 'scripts/swift-node install /tmp'],
  'an object gateway': [
    () => asRoot() && ['radosgw', 'ceph-osd', 'ceph-mon', 'ceph-mgr'].every(onPath),
    'root, and scripts/gateway-node install',
  ],
  'two plain web servers': [
    () => asRoot() && ['nginx', 'apache2'].every(onPath),
    'root, and apt-get install nginx-light apache2',
  ],
  'sites that others wrote': [
    isThere('/usr/share/doc/debian/FAQ'),
    'apt-get install debian-policy developers-reference debian-faq maint-guide bash-doc',
  ],
  Squid: [isThere('/usr/sbin/squid'), 'scripts/squid-node install'],
  'name servers': [
    () => asRoot() && ['nsd', 'unbound', 'named'].every(onPath),
    'root, and scripts/names-lab install /tmp',
  ],
  'servers of many kinds': [
    () =>
      asRoot() &&
      runs('unshare', '-rn', 'true') &&
      ['nsd', 'unbound', 'named', 'knotd', 'kresd', 'dnsmasq', 'dnssec-signzone', 'kzonecheck'].every(onPath),
    'root, and scripts/names-lab install /tmp',
  ],
  'port 53': [asRoot, 'root'],
  'file systems that fold case': [
    () =>
      asRoot() && existsSync('/dev/fuse') && ['lowntfs-3g', 'mount.exfat-fuse', 'mkfs.exfat'].every(onPath),
    'root, /dev/fuse, and apt-get install ntfs-3g exfat-fuse exfatprogs',
  ],
  'a registry of packages': [
    () => runs(process.execPath, '-e', ASK_REGISTRY),
    'a network on which npm install works',
  ],
  'raw sockets': [() => asRoot() && onPath('python3'), 'root, and apt-get install python3'],
} as const satisfies Record<string, readonly [() => boolean, string]>;

export type Need = keyof typeof NEEDS;

/** What is missing of some needs, in one line; undefined where all is there, and in CI, where all has to be. */
export function lacks(...needs: readonly Need[]): string | undefined {
  if (process.env['CI'] === 'true') return undefined;
  const missing = needs.filter((need) => !NEEDS[need][0]());
  return missing.length === 0
    ? undefined
    : `needs ${missing.map((need) => `${need} (${NEEDS[need][1]})`).join(', ')}`;
}

/** Skips a test that lacks something. */
export function need({ skip }: Pick<TestContext, 'skip'>, ...needs: readonly Need[]): void {
  const note = lacks(...needs);
  if (note !== undefined) skip(note);
}

/** For `beforeEach`: skips every test of a file or a group that lacks something. */
export const needs =
  (...all: readonly Need[]): ((context: TestContext) => void) =>
  (context) =>
    need(context, ...all);

/** A group of tests that need something, with their set-up: skipped whole under a name that says what is lacking. */
export function describeWith(all: readonly Need[], name: string, tests: () => void): void {
  const note = lacks(...all);
  if (note === undefined) describe(name, tests);
  else describe.skip(`${name} [${note}]`, tests);
}
