/** The pages of a release beside the budgets of the config. */
import { basename } from 'node:path';
import { overBudget } from '../../core/check/check-findings.js';
import type { Finding } from '../../core/findings/finding.js';
import type { BucketView } from '../../core/hosting/bucket-view.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { createBudgets, weighLoads } from '../../core/visiting/weigh-budgets.js';
import { DEFAULT_CONNECTION, parseConnection } from '../../core/visiting/connection.js';
import { DEFAULT_SCREEN } from '../../core/visiting/screen.js';
import { plainCommand, type CommandLine } from '../../core/words/command-line.js';
import type { ReadObject } from '../host/host-release.js';
import type { Project } from '../project/open-project.js';
import type { Progress } from '../progress.js';
import { recallSeen } from './seen-file.js';
import { placesOf, listPages, urlsOf } from './site-addresses.js';
import { visitRelease } from './visited-release.js';
import { loadPages } from './visit-site.js';

export interface BudgetedRelease {
  /** As it is once its bucket is open. */
  readonly view: BucketView;
  readonly objects: readonly StoredObject[];
  readonly read: ReadObject;
}

export async function listBudgetFindings(
  { view, objects, read }: BudgetedRelease,
  project: Project,
  command: CommandLine = plainCommand,
  progress: Progress,
): Promise<Finding[]> {
  const { budgets, file } = project.config;
  const limitsOf = createBudgets(budgets);
  const { under = '' } = project.destination;
  const pages = (await listPages(objects, view.settings)).filter(
    ({ key }) => key.startsWith(under) && limitsOf(key.slice(under.length)).length > 0,
  );
  const at = Date.now();
  const site = visitRelease({
    withView: (work) => Promise.resolve(work(view)),
    read,
    ...placesOf(project),
    at,
  });
  const urls = urlsOf(
    project,
    pages.map(({ path }) => path),
  );
  const loads = await loadPages(site, urls, { screen: DEFAULT_SCREEN, seen: recallSeen(project) }, progress);
  const line = parseConnection(DEFAULT_CONNECTION);
  return weighLoads(budgets, loads, under, at, line).overBudget.map((excess) =>
    overBudget(excess, basename(file), command),
  );
}
