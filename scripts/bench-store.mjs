// The store and its change lists at a million objects: what stays the same must cost no memory.
import { build } from 'esbuild';
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { measureScript, scratch } from './bench-kit.mjs';

const OBJECTS = 1_000_000;

// Run in a process of its own: fills a store, compares it with a site of which ten objects differ, or only walks it.
const WORK = `
import { compareObjects } from './src/core/release/change-list.js';
import { NEW_BUCKET_SETTINGS } from './src/core/hosting/bucket-view.js';
import { EmbeddedStore } from './src/stores/embedded/embedded-store.js';
const [, , root, what] = process.argv;
const headers = { 'Content-Type': 'text/html; charset=utf-8', 'Cache-Control': 'no-cache' };
// Bytes are no matter here: every object is empty, and a digest is only compared.
const object = (n, digest = 'e') => ({
  key: \`d\${String(Math.floor(n / 500)).padStart(5, '0')}/o\${String(n).padStart(7, '0')}.html\`,
  size: 0,
  digest: digest.repeat(64),
  headers,
});
const store = EmbeddedStore.open(root);
if (what === 'fill') {
  await store.create('mill', 1);
  for (let from = 0; from < ${OBJECTS}; from += 50_000) {
    const bucket = await store.bucket('mill');
    const plan = { base: bucket.release, bucket, by: 'bench', note: '', totals: {}, settings: NEW_BUCKET_SETTINGS, remove: [] };
    plan.put = Array.from({ length: 50_000 }, (_, n) => object(from + n));
    const publication = await store.begin('mill', plan);
    await publication.commit(1);
    await publication.abandon();
  }
} else {
  const snapshot = await store.open('mill');
  function* site() {
    for (let n = 0; n < ${OBJECTS}; n++) yield object(n, n % 100_000 === 7 ? 'f' : 'e');
  }
  if (what === 'walk') {
    let count = 0;
    for (const row of store.rows.current.list({ start: ['mill', ''], end: ['mill!', ''] })) count += row.value.size + 1;
    if (count !== ${OBJECTS}) throw new Error(String(count));
  } else {
    const { entries, totals, held } = await compareObjects(site(), snapshot.objects());
    if (entries.length !== 10 || totals.keep !== ${OBJECTS} - 10 || held !== ${OBJECTS}) throw new Error(JSON.stringify(totals));
  }
  await snapshot.close();
}
await store.close();
`;

export const store = ({ report, ratio }) => ({
  async million() {
    const folder = join(scratch, 'million');
    mkdirSync(folder);
    // Beside the libraries that it loads.
    const script = join('node_modules', '.cache', 'fenestra-bench', 'work.mjs');
    await build({
      stdin: { contents: WORK, resolveDir: process.cwd(), loader: 'ts' },
      bundle: true,
      platform: 'node',
      format: 'esm',
      outfile: script,
      logLevel: 'error',
      packages: 'external',
    });
    const root = join(folder, 'store');
    measureScript(script, root, 'fill');
    const rounds = [1, 2, 3].map(() => [
      measureScript(script, root, 'compare'),
      measureScript(script, root, 'walk'),
    ]);
    const middle = (list) => [...list].sort((a, b) => a - b)[1];
    const times = middle(rounds.map(([compared, walked]) => compared.seconds / walked.seconds));
    const peak = Math.max(...rounds.map(([compared]) => compared.peak));
    report(
      'change list, 10 changes in 1,000,000 objects of the store, peak memory',
      'under 250 MiB',
      `${peak.toFixed(0)} MiB`,
      peak < 250,
      '',
    );
    report('the same, time', 'at most 3 × a plain walk of the rows', ratio(times), times <= 3, '');
  },
});
