// Runs the demo; with `--store swift` on a real OpenStack Swift that is started for it and ended after it.
import { spawnSync } from 'node:child_process';
import { startSwift } from './swift-cluster.mjs';

const words = process.argv.slice(2);
const at = words.indexOf('--store');
const store = at < 0 ? undefined : words.splice(at, 2)[1];
if (at >= 0 && store !== 'swift') {
  console.error('--store takes swift.');
  process.exit(2);
}
const swift = store === undefined ? undefined : startSwift();
if (store !== undefined && !swift) process.exit(3);
const more = swift ? ['--swift', swift.auth, '--address', swift.addressOf('wendle-mill')] : [];
const { status } = spawnSync(process.execPath, ['dist/fenestra.js', 'demo', ...words, ...more], {
  stdio: 'inherit',
  env: { ...process.env, ...swift?.secrets },
});
swift?.stop();
process.exitCode = status ?? 1;
