// A real OpenStack Swift of three nodes on this machine, for a demo, a picture or somebody who wants to try it.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

export const SCRIPT = join(import.meta.dirname, 'swift-node');

/** Undefined where it does not start; what it says is on standard error. */
export function startSwift() {
  const folder = mkdtempSync(join(tmpdir(), 'fenestra-swift-'));
  const node = (...words) =>
    spawnSync(SCRIPT, words, { encoding: 'utf8', stdio: ['ignore', 'pipe', 'inherit'] });
  const stop = () => {
    node('stop', folder);
    rmSync(folder, { recursive: true, force: true });
  };
  if (node('start', folder).status !== 0) {
    stop();
    return undefined;
  }
  const said = node('env', folder).stdout.trim().split('\n');
  const env = Object.fromEntries(said.map((line) => line.split('=')));
  return {
    folder,
    auth: env.SWIFT_AUTH_URL,
    secrets: { FENESTRA_CLOUD_USER: env.SWIFT_USER, FENESTRA_CLOUD_KEY: env.SWIFT_KEY },
    addressOf: (bucket) => `http://${bucket}.AUTH-test.${env.SWIFT_DOMAIN}:${env.SWIFT_PORT}/`,
    node: (...words) => node(words[0], folder, ...words.slice(1)),
    stop,
  };
}
