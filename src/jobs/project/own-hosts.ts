import { hostsOf } from '../../core/hosting/bucket-view.js';
import type { Project } from './open-project.js';

/** Every host under which the config says that this site is or will be reached. */
export const ownHosts = ({ config }: Pick<Project, 'config'>): string[] =>
  config.destinations.flatMap(({ address, settings }) => [
    ...hostsOf(settings),
    ...(address === undefined ? [] : [new URL(address).host]),
  ]);
