/** What all files of a run share is made by the first that needs it, in a folder of the run, and ended here. */
import { existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { endClusters, joinCluster } from './cluster.js';

export default async function setUp(): Promise<() => Promise<void>> {
  const run = mkdtempSync(join(tmpdir(), 'fenestra-run-'));
  process.env['FENESTRA_TEST_RUN'] = run;
  // Before all tests at once keep the machine busy; one that does not come up is tried again by who needs it.
  if (process.env['FENESTRA_WHOLE_RUN'] !== undefined && existsSync('/usr/bin/swift-proxy-server'))
    await joinCluster('site').catch(() => undefined);
  return async () => {
    await endClusters(run);
    rmSync(run, { recursive: true, force: true });
  };
}
