/** A project opened: its config, and one destination of it. */
import { FenestraError } from '../../core/errors/catalogue.js';
import { addressUnder } from '../../core/site/site-in-subfolder.js';
import { nearestWord } from '../../core/words/nearest-word.js';
import type { Config, Destination } from '../../config/config.js';
import { findConfig } from '../../config/find-config.js';
import { recallConfig, rememberConfig } from '../../config/remember.js';
import { findKind } from '../../stores/kinds.js';
import { BUILD } from './build.js';
import { placeOf } from './place-of.js';

export const DEFAULT_PORT = 4680;

export interface Project {
  readonly config: Config;
  readonly destination: Destination;
  /** Public base address, with a closing slash. */
  readonly address: string;
}

/** Where the emulation answers for a bucket. */
export const emulatedAddress = (bucket: string): string => `http://${bucket}.localhost:${DEFAULT_PORT}/`;

/** A config that was found good before need not be parsed and validated again. */
async function readConfig(path: string): Promise<Config> {
  const known = BUILD === undefined ? undefined : recallConfig(path, BUILD);
  if (known) return known;
  const { loadConfig } = await import('../../config/index.js');
  const config = await loadConfig(path);
  if (BUILD !== undefined) rememberConfig(config, BUILD);
  return config;
}

/** A store answers in its own way, unless the config says otherwise. @throws FenestraError STORE_KIND */
function withQuirks(config: Config, destination: Destination): Destination {
  const { quirks } = findKind(placeOf(config, destination.store));
  if (!quirks) return destination;
  const withThem = (settings: Destination['settings']): Destination['settings'] => ({
    ...settings,
    quirks: { ...quirks, ...settings.quirks },
  });
  const { settings, siteSettings } = destination;
  return { ...destination, settings: withThem(settings), siteSettings: withThem(siteSettings) };
}

/** @throws FenestraError CONFIG_…, DESTINATION_UNKNOWN, STORE_KIND */
export async function openProject(input: {
  /** The config file, or its folder; the nearest one upwards without it. */
  readonly config?: string | undefined;
  /** The destination; the first without it. */
  readonly to?: string | undefined;
}): Promise<Project> {
  const config = await readConfig(findConfig(input.config));
  const [first] = config.destinations;
  const destination =
    input.to === undefined ? first : config.destinations.find(({ name }) => name === input.to);
  if (!destination) {
    const names = config.destinations.map(({ name }) => name);
    const owner = config.destinations.find(({ bucket }) => bucket === input.to);
    const near = nearestWord(input.to ?? '', names);
    throw new FenestraError('DESTINATION_UNKNOWN', {
      name: input.to ?? '',
      known: names.join(', '),
      near: owner
        ? ` That is the bucket of ${owner.name}.`
        : near === undefined
          ? ''
          : ` Did you mean ${near}?`,
    });
  }
  return {
    config,
    destination: withQuirks(config, destination),
    address: addressUnder(destination.address ?? emulatedAddress(destination.bucket), destination.under),
  };
}
