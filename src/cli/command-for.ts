/** Commands that are printed about what another destination publishes carry its name. */
import type { Destination } from '../config/config.js';
import { createCommandLine, type CommandLine } from '../core/words/command-line.js';
import type { Project } from '../jobs/project/open-project.js';
import type { Terminal } from './terminal.js';

/** @param config as it was named on the command line */
export const commandFor = (
  project: Project,
  destination: Destination | undefined,
  config: string | undefined,
  { paint }: Terminal,
): CommandLine =>
  destination === undefined || destination.name === project.destination.name
    ? paint.command
    : createCommandLine({ to: destination.name, config });
