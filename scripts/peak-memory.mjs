// Preloaded into a measured process: writes its peak of anonymous memory (without file-backed mappings), in KiB,
// and the bytes that it wrote, to FENESTRA_PEAK_FILE.
import { readFileSync, writeFileSync } from 'node:fs';
import { isMainThread } from 'node:worker_threads';

const file = process.env.FENESTRA_PEAK_FILE;
let peak = 0;
const look = () => {
  const anonymous = /RssAnon:\s+(\d+)/.exec(readFileSync('/proc/self/status', 'utf8'))?.[1];
  peak = Math.max(peak, Number(anonymous ?? 0));
};
if (file && isMainThread) {
  setInterval(look, 20).unref();
  process.on('exit', () => {
    look();
    const written = /wchar:\s+(\d+)/.exec(readFileSync('/proc/self/io', 'utf8'))?.[1];
    writeFileSync(file, `${peak} ${written ?? 0}`);
  });
}
