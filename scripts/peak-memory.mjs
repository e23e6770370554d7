// Preloaded into a measured process: writes the peak of its anonymous memory (without file-backed mappings), in KiB, to FENESTRA_PEAK_FILE.
import { readFileSync, writeFileSync } from 'node:fs';

const file = process.env.FENESTRA_PEAK_FILE;
let peak = 0;
const look = () => {
  const anonymous = /RssAnon:\s+(\d+)/.exec(readFileSync('/proc/self/status', 'utf8'))?.[1];
  peak = Math.max(peak, Number(anonymous ?? 0));
};
if (file) {
  setInterval(look, 20).unref();
  process.on('exit', () => {
    look();
    writeFileSync(file, String(peak));
  });
}
