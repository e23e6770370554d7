// What the tests use of a machine beside git and Node.js. As root on Debian it is installed, and that is said; elsewhere,
// or without a network, each test that lacks something is skipped by name with what it lacks.
import { spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { pathToFileURL } from 'node:url';

const PACKAGES = [
  'chromium',
  'rsync',
  'curl',
  'python3',
  'python3-doc',
  'git-doc',
  'novnc',
  'debian-policy',
  'developers-reference',
  'debian-faq',
  'maint-guide',
  'bash-doc',
  'nginx-light',
  'apache2',
  'mount',
  'bsdutils',
  'util-linux',
  'iproute2',
  'libnss3-tools',
  'openssl',
];
/** Labs bring packages of their own, and know which. */
const LABS = [
  ['an object store', 'scripts/swift-node', 'install', tmpdir()],
  ['a second object store', 'scripts/gateway-node', 'install'],
  ['a shared cache', 'scripts/squid-node', 'install'],
  ['name servers', 'scripts/names-lab', 'install', tmpdir()],
];
const LONGEST_MS = 15 * 60_000;

const run = (command, ...words) =>
  spawnSync(command, words, {
    encoding: 'utf8',
    timeout: LONGEST_MS,
    env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
  });
const isInstalled = (name) =>
  run('dpkg-query', '-W', '-f=${Status}', name).stdout?.includes('ok installed') ?? false;
const say = (text) => process.stderr.write(`${text}\n`);

/** @returns whether all is there */
export function setUpForTests() {
  if (!existsSync('/etc/debian_version') || process.getuid?.() !== 0) return false;
  const missing = PACKAGES.filter((name) => !isInstalled(name));
  if (missing.length > 0) {
    say(`Installing what tests use: ${missing.join(', ')}.`);
    run('apt-get', 'update', '-qq');
    const { status, stderr } = run('apt-get', 'install', '-y', '-qq', '--no-install-recommends', ...missing);
    if (status !== 0) return giveUp('Those', stderr);
  }
  for (const [what, command, ...words] of LABS) {
    const { status, stderr } = run(command, ...words);
    if (stderr) say(stderr.trim().split('\n')[0]);
    if (status !== 0) return giveUp(what, stderr);
  }
  return true;
}

function giveUp(what, stderr) {
  const why = (stderr ?? '').trim().split('\n').at(-1);
  say(`${what} could not be installed: ${why}. Tests that need it are skipped, and listed at the end.`);
  return false;
}

if (import.meta.url === pathToFileURL(process.argv[1] ?? '').href) {
  const isWhole = setUpForTests();
  say(isWhole ? 'All that the tests use is there.' : 'Not all that the tests use is there.');
}
