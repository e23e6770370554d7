/** OpenStack Swift as a kind of store: light to load. */
import { FenestraError } from '../../core/errors/catalogue.js';
import { parseDuration } from '../../core/caching/duration.js';
import { QUIRK_SETS } from '../../core/hosting/quirks.js';
import { parseBytes } from '../../core/words/counts.js';
import type { StoreKind, StorePlace } from '../kind.js';
import { readCredentials } from './credentials.js';

const textOf = ({ options }: StorePlace, name: string): string | undefined => {
  const value = options[name];
  return typeof value === 'string' ? value : undefined;
};

/** One address, or a list of them. */
const originsOf = (value: unknown): string[] =>
  [value ?? []].flat().map((each) => new URL(String(each)).origin);

/** A proxy of such a store leaves out a node that failed for a minute. Milliseconds. */
const PATIENCE_MS = 90_000;

function patienceOf(text: string | undefined): number {
  const parsed = text === undefined ? undefined : parseDuration(text);
  return parsed && 'seconds' in parsed ? parsed.seconds * 1000 : PATIENCE_MS;
}

export const swift: StoreKind = {
  explain:
    'An OpenStack Swift; `auth` says where to sign in, the secrets come from the environment or from the file `credentials`.',
  quirks: QUIRK_SETS['swift'] ?? {},
  isElsewhere: true,
  isThere: () => true,
  async open(place) {
    const { options } = place;
    const auth = textOf(place, 'auth');
    if (auth === undefined)
      throw new FenestraError('STORE_KIND', {
        place: place.place ?? 'fenestra.yaml',
        name: place.name,
        kind: 'swift',
        known: 'none without `auth:`, where to sign in',
        near: '',
      });
    const { SwiftStore } = await import('./swift-store.js');
    return new SwiftStore({
      store: place.name,
      auth: new URL(auth),
      credentials: readCredentials(place.name, place.folder, textOf(place, 'credentials'), process.env),
      region: textOf(place, 'region'),
      interface: textOf(place, 'interface') ?? 'public',
      proxies: originsOf(options['proxies']),
      plainLoopback: options['plainLoopback'] === true,
      segments: parseBytes(textOf(place, 'segments') ?? ''),
      turns: textOf(place, 'switch') === 'folders',
      patienceMs: patienceOf(textOf(place, 'patience')),
    });
  },
};
