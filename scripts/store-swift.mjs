// Starts a real OpenStack Swift of three nodes on this machine, says how to publish to it, and ends it with Ctrl-C.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const script = join(import.meta.dirname, 'swift-node');
const folder = mkdtempSync(join(tmpdir(), 'fenestra-swift-'));
const node = (...words) =>
  spawnSync(script, words, { encoding: 'utf8', stdio: ['ignore', 'pipe', 'inherit'] });
const end = () => {
  node('stop', folder);
  rmSync(folder, { recursive: true, force: true });
};
if (node('start', folder).status !== 0) {
  end();
  process.exit(3);
}
const env = Object.fromEntries(
  node('env', folder)
    .stdout.trim()
    .split('\n')
    .map((line) => line.split('=')),
);
const { SWIFT_AUTH_URL, SWIFT_USER, SWIFT_KEY, SWIFT_DOMAIN, SWIFT_PORT } = env;
console.log(`
In fenestra.yaml:

stores:
  cloud: { kind: swift, auth: "${SWIFT_AUTH_URL}" }
destinations:
  live: { store: cloud, bucket: my-mill, address: "http://my-mill.AUTH-test.${SWIFT_DOMAIN}:${SWIFT_PORT}/" }

In the shell:

export FENESTRA_CLOUD_USER=${SWIFT_USER} FENESTRA_CLOUD_KEY=${SWIFT_KEY}
fenestra publish --to live

${script} kill-node ${folder} 3    # a node dies; revive-node brings it back

Ctrl-C ends it and removes everything that was published to it.`);
setInterval(() => undefined, 2 ** 30);
for (const signal of ['SIGINT', 'SIGTERM'])
  process.on(signal, () => {
    end();
    process.exit(0);
  });
