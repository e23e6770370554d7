/** Two places that hold the same site, address by address: what they answer differently, and whether that is expected. */
import type { Answer, WebRequest } from '../hosting/answer.js';
import { headerOf } from '../hosting/answer.js';
import type { BucketView } from '../hosting/bucket-view.js';
import { resolve } from '../hosting/resolve.js';
import type { StoredObject } from '../site/site-object.js';
import type { Aspect } from './compare-answer.js';
import { listProbes, single, type Observed } from './probe.js';

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

const squeeze = (value: string): string => value.toLowerCase().replace(/\s+/g, '').replace(/"/g, '');

/** Of a redirect the path alone: each place has a host of its own. */
function pathOf(location: string, target: string): string {
  try {
    const url = new URL(location, `http://place.invalid${target}`);
    return url.pathname + url.search;
  } catch {
    return location;
  }
}

function compared(
  target: string,
  status: number,
  header: (name: string) => string | undefined,
  body: string | undefined,
): Compared {
  const found = new Map([[nameOf('status'), String(status)]]);
  const location = header('Location');
  if (location !== undefined) found.set(nameOf('location', 'Location'), pathOf(location, target));
  // A notice is the host's own.
  if (body === undefined) return found;
  for (const [aspect, name] of HEADERS) found.set(nameOf(aspect, name), squeeze(header(name) ?? 'absent'));
  found.set(nameOf('bytes'), body);
  return found;
}

const bodyOf = ({ body, status }: Answer): string | undefined =>
  body.kind === 'object' && status !== 304 ? body.object.digest : undefined;

/** @param here and there: what each place has answered, and what the resolver says of it */
export function comparePlaces(
  target: string,
  here: { readonly observed: Observed; readonly view: BucketView },
  there: { readonly observed: Observed; readonly view: BucketView },
): PlaceDifference[] {
  const request: WebRequest = { method: 'GET', target, headers: {} };
  const [said, meant] = [here, there]
    .map(({ observed, view }) => {
      const answer = resolve(request, view);
      const isObject = answer.body.kind === 'object';
      return [
        compared(
          target,
          observed.status,
          (name) => single(observed.headers[name.toLowerCase()]),
          isObject || observed.status < 300 ? observed.digest : undefined,
        ),
        compared(target, answer.status, (name) => headerOf(answer.headers, name), bodyOf(answer)),
      ] as const;
    })
    .reduce<[Compared[], Compared[]]>(
      ([a, b], [x, y]) => [
        [...a, x],
        [...b, y],
      ],
      [[], []],
    );
  const differences: PlaceDifference[] = [];
  for (const name of new Set([...(said[0]?.keys() ?? []), ...(said[1]?.keys() ?? [])])) {
    const [one = 'absent', other = 'absent'] = said.map((each) => each.get(name));
    if (one === other) continue;
    const [aspect = '', header = ''] = name.split('\0');
    differences.push({
      path: target,
      aspect: aspect as Aspect,
      ...(header === '' ? {} : { header }),
      here: shorten(aspect, one),
      there: shorten(aspect, other),
      expected: meant[0]?.get(name) === one && meant[1]?.get(name) === other,
    });
  }
  return differences;
}

const shorten = (aspect: string, value: string): string =>
  aspect === 'bytes' && value !== 'absent' ? `sha256 ${value.slice(0, 12)}…` : value;
