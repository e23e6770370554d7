/** Being asked before something is published or taken back. */
import { newlyReadable, removesMost } from '../../core/release/guards.js';
import { countOf } from '../../core/words/counts.js';
import { formatTotals } from '../../report/text/changes-text.js';
import { columns, visible } from '../../report/text/paint.js';
import type { Terminal } from '../terminal.js';
import type { Project } from './project.js';
import type { Changes } from './publish-work.js';

/**
 * Asks, unless `yes`. What removes most of a bucket, or lets the public of an open one read more, asks for its name.
 * @throws FenestraError DECLINED, CONFIRMATION_NEEDED, CONFIRMATION_WRONG
 */
export async function agreeToChanges(
  changes: Changes,
  site: { readonly objects: readonly { readonly key: string }[] },
  { destination }: Project,
  { yes, sure }: { readonly yes: boolean; readonly sure: string | undefined },
  terminal: Terminal,
): Promise<void> {
  const { bucket, totals, toSend } = changes;
  const opened = newlyReadable(() => site.objects.map(({ key }) => key), bucket, changes.becomes);
  if (opened.length > 0) {
    const more = opened.length > 20 ? terminal.paint.soft(`\n  and ${opened.length - 20} more`) : '';
    terminal.print(
      `\n${terminal.paint.warn(`${countOf(opened.length, 'key')} that nobody could read will be readable by anyone`)}\n${columns(opened.slice(0, 20).map((key) => [visible(key)]))}${more}`,
    );
  }
  if (removesMost(totals, bucket) || opened.length > 0) {
    const why =
      opened.length > 0
        ? `This lets anyone read ${countOf(opened.length, 'more key')} of ${destination.bucket}.`
        : `This removes ${totals.remove} of the ${countOf(bucket?.objects ?? 0, 'object')} in ${destination.bucket}.`;
    await terminal.confirmName(why, destination.bucket, sure);
    return;
  }
  if (!yes)
    await terminal.confirm(
      `Publish to ${destination.bucket} in ${destination.store}: ${formatTotals(totals, toSend)}?`,
      '--yes',
    );
}
