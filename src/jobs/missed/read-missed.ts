/** What visitors asked for in vain, by a log, and where each of it may have moved to. */
import { readFileSync } from 'node:fs';
import { parseDocument } from 'yaml';
import { parseLogLine } from '../../core/cost/log-line.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { MissedCounter, type MissedPaths } from '../../core/missed/count-missed.js';
import { findMoved, type Answered, type Earlier, type FoundAddress } from '../../core/missed/find-moved.js';
import { KeyIndex } from '../../core/site/near-key.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { addMovedLines } from '../../config/add-moved.js';
import { eachLogLine } from '../cost/read-log.js';
import { viewSite } from '../host/view-site.js';
import { changeConfig } from '../project/change-config.js';
import { openProject, type Project } from '../project/open-project.js';
import { withStore } from '../project/open-store.js';
import type { Progress } from '../progress.js';
import { surveyProject } from '../survey/survey-project.js';

export interface Missed extends Answered {
  readonly log: string;
  readonly lines: number;
  readonly byRobots: MissedPaths['byRobots'];
  readonly tried: MissedPaths['tried'];
}

/** Looked at one by one; of more the most frequent. */
const MOST = 1000;
/** Releases back in which a key is looked for. */
const RELEASES = 20;

/** @throws FenestraError LOG_UNREADABLE, SITE_… */
export async function readMissed(project: Project, log: string, progress: Progress): Promise<Missed> {
  const counter = new MissedCounter();
  let lines = 0;
  await eachLogLine(log, (bytes, from, end) => {
    const request = parseLogLine(bytes, from, end);
    if (!request) return;
    lines++;
    counter.note(request, visitorOf(bytes, from, end));
  });
  if (lines === 0)
    throw new FenestraError('LOG_UNREADABLE', {
      path: log,
      reason: 'none of its lines is a request as such logs write them',
    });
  const { byVisitors, byRobots, tried } = counter.result();
  const survey = await surveyProject(project, progress);
  const { bucket, settings } = project.destination;
  const { view, objects } = viewSite(survey, bucket, settings, Date.now());
  const earlier = await readEarlier(project, objects);
  const keys = new KeyIndex(objects.map(({ key }) => key));
  return { log, lines, byRobots, tried, ...findMoved(byVisitors.slice(0, MOST), view, { keys, earlier }) };
}

/** The first word of a line, which is the address of whoever asked; '' where the line says none. */
function visitorOf(bytes: Buffer, from: number, end: number): string {
  if (bytes[from] === 0x7b) return '';
  let at = from;
  while (at < end && bytes[at] !== 0x20) at++;
  return bytes.toString('latin1', from, Math.min(at, from + 100));
}

/** Of a store without a history, and of a bucket that is not there, nothing is known. */
async function readEarlier(project: Project, objects: readonly StoredObject[]): Promise<Earlier> {
  const byDigest = new Map(objects.map(({ key, digest }) => [digest, key]));
  const was = new Map<string, { release: number; now?: string }>();
  await withStore(project, async (store) => {
    const { bucket } = project.destination;
    if (!store.guarantees.history || !(await store.bucket(bucket))) return;
    for (const { release } of ((await store.releases?.(bucket)) ?? []).slice(0, RELEASES)) {
      const snapshot = await store.open(bucket, release);
      try {
        for await (const { key, digest } of snapshot.objects()) {
          if (was.has(key)) continue;
          const now = byDigest.get(digest);
          was.set(key, { release, ...(now === undefined || now === key ? {} : { now }) });
        }
      } finally {
        await snapshot.close();
      }
    }
  });
  return { find: (key) => was.get(key) };
}

/** What was added has to hold where the log is from. @throws FenestraError USAGE */
async function assertMoved(file: string, to: string, added: readonly FoundAddress[]): Promise<void> {
  const { destination } = await openProject({ config: file, to });
  const { permanently } = destination.settings.moved;
  if (added.every(({ from }) => Object.hasOwn(permanently, from))) return;
  throw new FenestraError('USAGE', {
    what: `The destination ${to} has moved addresses of its own, which count in place of those at the top of the config.`,
    fix: `Write the new ones there: destinations.${to}.moved. The config was left as it was.`,
  });
}

/**
 * Adds lines of `moved` to the config; a config that could not be read with them stays as it was.
 * @returns what was added
 * @throws FenestraError CONFIG_…
 */
export async function addMoved(
  { config, destination }: Project,
  found: readonly FoundAddress[],
): Promise<readonly FoundAddress[]> {
  const document = parseDocument(readFileSync(config.file, 'utf8'));
  const added = found.filter(
    ({ from, to }) =>
      to !== undefined &&
      !document.hasIn(['moved', 'permanently', from]) &&
      !document.hasIn(['moved', 'temporarily', from]),
  );
  if (added.length === 0) return [];
  const entries = added.map(({ from, to = '' }) => [from, to] as const);
  await changeConfig(
    config.file,
    (before) => addMovedLines(before, entries),
    () => assertMoved(config.file, destination.name, added),
  );
  return added;
}
