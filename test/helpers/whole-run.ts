/** What all files of a run share is made by the first that needs it, in a folder of the run, and ended here. */
import { existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { endCluster } from './cluster.js';

export default function setUp(): () => Promise<void> {
  const run = mkdtempSync(join(tmpdir(), 'fenestra-run-'));
  process.env['FENESTRA_TEST_RUN'] = run;
  return async () => {
    if (existsSync(join(run, 'cluster'))) await endCluster(run);
    rmSync(run, { recursive: true, force: true });
  };
}
