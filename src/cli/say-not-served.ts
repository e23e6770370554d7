/** After something was put at an address of the emulation: how to have it answered, where nothing does. */
import type { Project } from '../jobs/project/open-project.js';
import { formatNotServed } from '../report/text/serving-text.js';
import type { Terminal } from './terminal.js';
import { isServed } from '../jobs/host/is-served.js';

export async function sayNotServed(project: Project, terminal: Terminal): Promise<void> {
  if (terminal.json) return;
  const said = formatNotServed(await isServed(project), terminal.paint);
  if (said !== '') terminal.print(said);
}
