/** `check --log`: what visitors ask for and is gone. */
import { EXIT } from '../core/errors/catalogue.js';
import { openProject } from '../jobs/project/open-project.js';
import type { Terminal } from './terminal.js';

/** @throws FenestraError LOG_UNREADABLE, CONFIG_…, SITE_… */
export async function checkLog(
  args: { readonly config: string | undefined; readonly to: string | undefined; readonly add: boolean },
  log: string,
  terminal: Terminal,
): Promise<number> {
  const { addMoved, readMissed } = await import('../jobs/missed/read-missed.js');
  const { formatMissed } = await import('../report/text/missed-text.js');
  const project = await openProject(args);
  const missed = await readMissed(project, log, terminal.progress);
  const added = args.add ? await addMoved(project, missed.gone) : undefined;
  terminal.print(formatMissed(missed, added?.length, terminal.paint));
  terminal.printJson({ ...missed, ...(added ? { added } : {}) });
  return missed.gone.length > (added?.length ?? 0) ? EXIT.found : EXIT.done;
}
