// What an access log of ten million lines takes, beside counting and splitting the same lines.
import { spawnSync } from 'node:child_process';
import { closeSync, openSync, statSync, writeFileSync, writeSync } from 'node:fs';
import { join } from 'node:path';
import { fenestra, measureWith, median, scratch } from './bench-kit.mjs';

const LINES = 10_000_000;
const SPLIT = `
const lines = require('node:readline').createInterface({ input: require('node:fs').createReadStream(process.argv[1]), crlfDelay: Infinity });
let count = 0;
lines.on('line', () => count++);
lines.on('close', () => console.log(count));`;

export async function costs({ report, ratio, project }) {
  const log = join(scratch, 'access.log');
  const file = openSync(log, 'w');
  let text = '';
  for (let n = 0; n < LINES; n++) {
    const day = String(1 + Math.floor((n / LINES) * 28)).padStart(2, '0');
    const path = n % 7 === 0 ? '/' : `/pictures/mill-${n % 4000}.webp`;
    text += `192.0.2.${n % 250} - - [${day}/Oct/2026:13:55:36 +0000] "GET ${path} HTTP/1.1" ${n % 50 === 0 ? 404 : n % 3 === 0 ? 304 : 200} ${n % 3 === 0 ? '-' : n % 90_000} "-" "Mozilla/5.0 (X11; Linux x86_64)"\n`;
    if (text.length > 1 << 20) {
      writeSync(file, text);
      text = '';
    }
  }
  writeSync(file, text);
  closeSync(file);
  const site = join(scratch, 'cost-site');
  spawnSync('mkdir', ['-p', site]);
  writeFileSync(join(site, 'index.html'), '<!doctype html><title>Bench</title>');
  const home = project('cost', site);
  fenestra(home, 'publish', '--yes');
  const card = join(import.meta.dirname, '../demo/cards/quay.yaml');
  const timed = (command, args) => {
    const began = performance.now();
    const { status, stderr } = spawnSync(command, args, { encoding: 'utf8' });
    if (status !== 0) throw new Error(`${command} failed: ${stderr}`);
    return (performance.now() - began) / 1000;
  };
  const rounds = [];
  let peak = 0;
  for (let round = 0; round < 3; round++) {
    const own = measureWith({}, home, 'cost', '--card', card, '--log', log);
    peak = Math.max(peak, own.peak);
    rounds.push([own.seconds, timed('wc', ['-l', log]) + timed(process.execPath, ['-e', SPLIT, log])]);
  }
  const value = median(rounds.map(([own, other]) => own / other));
  const [own, other] = [0, 1].map((at) => median(rounds.map((round) => round[at])));
  report(
    `the cost by an access log of 10,000,000 lines, ${(statSync(log).size / 1e9).toFixed(1)} GB`,
    'at most 2 × `wc -l` and splitting its lines in Node.js',
    ratio(value),
    value <= 2,
    `${own.toFixed(1)} s beside ${other.toFixed(1)} s`,
  );
  report('its peak memory', 'under 200 MiB', `${Math.round(peak)} MiB`, peak < 200, '');
}
