/** What a publish says on the terminal. */
import { listStale } from '../../core/release/stale.js';
import { countOf, formatBytes } from '../../core/words/counts.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import { formatChanges, formatTotals } from '../../report/text/changes-text.js';
import { countFindings, formatFindings } from '../../report/text/findings-text.js';
import type { BucketStore } from '../../stores/port.js';
import type { Terminal } from '../terminal.js';
import type { Project } from './project.js';
import type { Changes } from './publish-work.js';

export function show(changes: Changes, { destination }: Project, inFull: boolean, terminal: Terminal): void {
  const { paint } = terminal;
  const where = changes.bucket
    ? `${changes.bucket.access}, at release ${changes.bucket.release}`
    : 'a new bucket, closed until you open it';
  terminal.print(
    `${paint.strong(destination.bucket)} in ${destination.store} (${destination.name}): ${where}\n`,
  );
  terminal.print(formatChanges(changes.changes, changes.settings, paint, inFull));
  terminal.print(`\n${formatTotals(changes.totals, changes.toSend)}`);
}

export function showFindings({ findings }: SurveyedSite, { print, paint }: Terminal): void {
  if (findings.length === 0) return;
  const errors = findings.filter(({ level }) => level === 'error');
  const rest = errors.length === findings.length ? '' : paint.soft(' (fenestra survey --findings shows all)');
  print(
    `\n${paint.strong('Findings')}: ${countFindings(findings)}${rest}${errors.length > 0 ? `\n${formatFindings(errors, paint)}` : ''}`,
  );
}

export async function showPublished(
  release: number,
  changes: Changes,
  project: Project,
  terminal: Terminal,
  store: BucketStore,
): Promise<void> {
  const { paint } = terminal;
  const { bucket } = project.destination;
  const state = await store.readBucket(bucket);
  terminal.print(
    `\n${paint.good('Published')} release ${release} of ${paint.strong(bucket)}: ${countOf(state?.objects ?? 0, 'object')}, ${formatBytes(state?.bytes ?? 0)}, at ${project.address}`,
  );
  if (state?.access === 'closed')
    terminal.print(
      `The bucket is closed, so visitors get 403. Open it with: ${paint.strong(`fenestra access open --sure ${bucket}`)}`,
    );
  // Nobody holds anything of a bucket that nobody could read.
  const stale = state?.access === 'open' ? listStale(changes.changes, Date.now()) : [];
  const [longest] = stale;
  if (longest) {
    terminal.print(
      `${paint.warn('Visitors may still hold')} the old bytes or headers of ${countOf(stale.length, 'object')}, such as ${longest.key} until ${new Date(longest.until).toISOString().slice(0, 16).replace('T', ' ')}; ${longest.because}. A new name cures that.`,
    );
  }
}
