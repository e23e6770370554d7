/** Two places that hold the same site, address by address: what they answer differently, and whether that is expected. */
import type { Answer, WebRequest } from '../hosting/answer.js';
import { headerOf } from '../hosting/answer.js';
import type { BucketView } from '../hosting/bucket-view.js';
import { resolve } from '../hosting/resolve.js';
import type { StoredObject } from '../site/site-object.js';
import type { Aspect } from './difference.js';
import { single, type Observed } from './probe.js';
import { listProbes } from './list-probes.js';

export interface PlaceDifference {
  /** The address, as a path with its query. */
  readonly path: string;
  readonly aspect: Aspect;
  /** The header that differs, where it is one. */
  readonly header?: string;
  readonly here: string;
  readonly there: string;
  /** Whether the resolver says that the two are to differ in this. */
  readonly expected: boolean;
}

/** The addresses that either of them has, mistakes too, each once. */
export function listAddresses(
  places: readonly { readonly view: BucketView; readonly objects: Iterable<StoredObject> }[],
): string[] {
  const targets = new Set<string>();
  for (const { view, objects } of places)
    for (const { about, request } of listProbes(view, objects))
      if (about !== 'another method' && request.method === 'GET') targets.add(request.target);
  return [...targets];
}

const HEADERS: readonly (readonly [Aspect, string])[] = [
  ['type', 'Content-Type'],
  ['caching', 'Cache-Control'],
  ['caching', 'Expires'],
  ['encoding', 'Content-Encoding'],
];

/** What is compared of an answer, by aspect and header. */
type Compared = ReadonlyMap<string, string>;

const nameOf = (aspect: Aspect, header = ''): string => `${aspect}\0${header}`;

const STATUS = nameOf('status');

const squeeze = (value: string): string => value.toLowerCase().replace(/\s+/g, '').replace(/"/g, '');

/** Of a redirect within the place the path alone: each has a host of its own. */
function placeOf(location: string, at: URL, target: string): string {
  try {
    const url = new URL(location, new URL(target, at));
    return url.host === at.host ? url.pathname + url.search : url.href;
  } catch {
    return location;
  }
}

function compared(
  at: URL,
  target: string,
  status: number,
  header: (name: string) => string | undefined,
  body: string | undefined,
): Compared {
  const found = new Map([[nameOf('status'), String(status)]]);
  const location = header('Location');
  if (location !== undefined) found.set(nameOf('location', 'Location'), placeOf(location, at, target));
  // A notice is the host's own.
  if (body === undefined) return found;
  for (const [aspect, name] of HEADERS) found.set(nameOf(aspect, name), squeeze(header(name) ?? 'absent'));
  found.set(nameOf('bytes'), body);
  return found;
}

const bodyOf = ({ body, status }: Answer): string | undefined =>
  body.kind === 'object' && status !== 304 ? body.object.digest : undefined;

/** One of the two places, and what it has answered. */
interface Asked {
  readonly at: URL;
  readonly view: BucketView;
  readonly observed: Observed;
}

/** @param here and there: what each place has answered, and what the resolver says of it */
export function comparePlaces(target: string, here: Asked, there: Asked): PlaceDifference[] {
  const request: WebRequest = { method: 'GET', target, headers: {} };
  const [one, other] = [here, there].map(({ at, observed, view }) => {
    const answer = resolve({ ...request, headers: { host: at.host } }, view);
    const hasBody = answer.body.kind === 'object' || observed.status < 300;
    return {
      said: compared(
        at,
        target,
        observed.status,
        (name) => single(observed.headers[name.toLowerCase()]),
        hasBody ? observed.digest : undefined,
      ),
      meant: compared(at, target, answer.status, (name) => headerOf(answer.headers, name), bodyOf(answer)),
    };
  });
  if (!one || !other) return [];
  const valueOf = (of: Compared, name: string): string => of.get(name) ?? 'absent';
  const differing = [...new Set([...one.said.keys(), ...other.said.keys()])].filter(
    (name) => valueOf(one.said, name) !== valueOf(other.said, name),
  );
  // Where the status differs, the rest follows from it.
  const names = differing.includes(STATUS) ? [STATUS] : differing;
  return names.map((name) => {
    const [aspect = '', header = ''] = name.split('\0');
    const [a, b] = [valueOf(one.said, name), valueOf(other.said, name)];
    return {
      path: target,
      aspect: aspect as Aspect,
      ...(header === '' ? {} : { header }),
      here: shorten(aspect, a),
      there: shorten(aspect, b),
      expected: valueOf(one.meant, name) === a && valueOf(other.meant, name) === b,
    };
  });
}

const shorten = (aspect: string, value: string): string =>
  aspect === 'bytes' && value !== 'absent' ? `sha256 ${value.slice(0, 12)}…` : value;

/** Whether two places answer alike but for what they are expected to differ in. */
export const areAlike = (differences: readonly PlaceDifference[]): boolean =>
  differences.every(({ expected }) => expected);
