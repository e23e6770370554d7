/** A project opened: its config, and one destination of it. */
import { FenestraError } from '../../core/errors/catalogue.js';
import { addressUnder } from '../../core/site/site-in-subfolder.js';
import { nearestWord } from '../../core/words/nearest-word.js';
import type { Config, Destination } from '../../config/config.js';
import { findConfig } from '../../config/find-config.js';
import { recallConfig, rememberConfig } from '../../config/remember.js';
import { findKind } from '../../stores/kinds.js';
import { BUILD } from './build.js';
import { servingPort } from './serving-note.js';
import { placeOf } from './place-of.js';

export const DEFAULT_PORT = 4680;

export interface Project {
  readonly config: Config;
  readonly destination: Destination;
  /** Public base address, with a closing slash. */
  readonly address: string;
}

/** Where the emulation answers for a bucket: at the port where it is served now, or else would be. */
export const emulatedAddress = (bucket: string, { storeFolder }: Pick<Config, 'storeFolder'>): string =>
  `http://${bucket}.localhost:${servingPort(storeFolder) ?? DEFAULT_PORT}/`;

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

/** The destination whose address an endpoint is; the one that lies deepest, where several share a bucket. */
function publishedAt({ destinations }: Config, at: string | undefined): Destination | undefined {
  if (at === undefined || !URL.canParse(at)) return undefined;
  const { host, hostname, pathname } = new URL(at);
  const asked = destinations.filter(
    ({ address, bucket, settings }) =>
      hostname === `${bucket}.localhost` ||
      settings.domains.includes(host) ||
      (address !== undefined && new URL(address).host === host),
  );
  const depth = ({ under = '' }: Destination): number =>
    pathname.replace(/\/?$/, '/').startsWith(`/${under}`) ? under.length : -1;
  return [...asked].sort((a, b) => depth(b) - depth(a))[0];
}

/** @throws FenestraError CONFIG_…, DESTINATION_UNKNOWN, STORE_KIND */
export async function openProject(input: {
  /** The config file, or its folder; the nearest one upwards without it. */
  readonly config?: string | undefined;
  /** The destination; without it the one that an endpoint is the address of, or else the first. */
  readonly to?: string | undefined;
  /** An endpoint that is asked. */
  readonly at?: string | undefined;
}): Promise<Project> {
  const config = await readConfig(findConfig(input.config));
  const [first] = config.destinations;
  const destination =
    input.to === undefined
      ? (publishedAt(config, input.at) ?? first)
      : config.destinations.find(({ name }) => name === input.to);
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
    address: addressUnder(
      destination.address ?? emulatedAddress(destination.bucket, config),
      destination.under,
    ),
  };
}
