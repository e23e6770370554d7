/** What a bucket would answer beside what a site has answered, address by address. */
import { parseCacheControl } from '../caching/cache-control.js';
import { headerOf } from '../hosting/answer.js';
import type { BucketView } from '../hosting/bucket-view.js';
import { resolve } from '../hosting/resolve.js';
import { isSameType } from './learn-objects.js';
import { targetOf } from './learn-moved.js';
import { cachingOf, isRedirect, type SeenAnswer } from './seen.js';

export type SeenAspect =
  'status' | 'type' | 'caching' | 'encoding' | 'language' | 'disposition' | 'location' | 'bytes';

export interface SeenDifference {
  readonly path: string;
  readonly aspect: SeenAspect;
  /** What the site answers. */
  readonly there: string;
  /** What the bucket would. */
  readonly here: string;
  /** Whether browsers make the same of both. */
  readonly isSame?: true;
}

const NONE = 'none';

/** @param origin of the site @param view of the bucket as it would be */
export function compareSeen(
  answers: readonly SeenAnswer[],
  origin: string,
  view: BucketView,
): SeenDifference[] {
  return answers.flatMap((answer) => compareOne(answer, origin, view));
}

function compareOne(answer: SeenAnswer, origin: string, view: BucketView): SeenDifference[] {
  const { path, status, headers, isUtf8 } = answer;
  const ours = resolve({ method: 'GET', target: path, headers: {} }, view);
  const differ = (aspect: SeenAspect, there: string, here: string): SeenDifference => ({
    path,
    aspect,
    there,
    here,
  });
  if (statusFor(status) !== ours.status) return [differ('status', String(status), String(ours.status))];
  if (isRedirect(answer)) {
    const [there, here] = [
      answer,
      { ...answer, headers: { location: headerOf(ours.headers, 'Location') ?? '' } },
    ].map((each) => targetOf(each, origin) ?? NONE);
    return there === here ? [] : [differ('location', there ?? NONE, here ?? NONE)];
  }
  // What a host shows of its own is its own.
  if (ours.body.kind !== 'object') return [];
  const ourHeaders = Object.fromEntries(
    [
      'Content-Type',
      'Cache-Control',
      'Expires',
      'Pragma',
      'Content-Encoding',
      'Content-Language',
      'Content-Disposition',
    ].map((name) => [name.toLowerCase(), headerOf(ours.headers, name)]),
  );
  const found: SeenDifference[] = [];
  const compare = (
    aspect: SeenAspect,
    name: string,
    isSame: (there: string, here: string) => boolean,
  ): void => {
    const [there, here] = [headers[name]?.trim(), ourHeaders[name]];
    if ((there ?? '') !== (here ?? '') && !isSame(there ?? '', here ?? ''))
      found.push(differ(aspect, there ?? NONE, here ?? NONE));
  };
  const [type, ourType] = [headers['content-type'] ?? '', ourHeaders['content-type'] ?? ''];
  if (squeeze(type) !== squeeze(ourType))
    found.push({
      ...differ('type', type || NONE, ourType || NONE),
      ...(isSameType(type, ourType, isUtf8) ? { isSame: true } : {}),
    });
  // An error document comes with the headers of its object, which is asked for at its own address.
  if (status === 200) {
    const [there, here] = [cachingOf(headers), cachingOf(definedOnly(ourHeaders))].map(
      (each) => each && markOf(each.policy.headers),
    );
    if (there === undefined || there !== here)
      found.push(differ('caching', describeCaching(headers), describeCaching(definedOnly(ourHeaders))));
  }
  compare('encoding', 'content-encoding', (there) => there.toLowerCase() === 'identity');
  if (status === 200) {
    compare('language', 'content-language', () => false);
    compare('disposition', 'content-disposition', () => false);
    if (
      answer.isWhole &&
      ours.body.object.digest !== answer.digest &&
      ourHeaders['content-encoding'] === undefined
    )
      found.push(differ('bytes', `${answer.size} bytes`, `${ours.body.object.size} bytes`));
  }
  return found;
}

/** Redirects that go by another number on a bucket for the same. */
const statusFor = (status: number): number =>
  status === 308 ? 301 : status === 307 || status === 303 ? 302 : status;

const squeeze = (value: string): string => value.toLowerCase().replace(/\s+/g, '').replace(/"/g, '');

const markOf = (headers: Readonly<Record<string, string>>): string =>
  JSON.stringify([
    parseCacheControl(headers['Cache-Control'] ?? '')
      .map(({ name, value }) => `${name}=${value ?? ''}`)
      .sort(),
    headers['Expires'],
    headers['Pragma'],
  ]);

const definedOnly = (headers: Readonly<Record<string, string | undefined>>): Record<string, string> =>
  Object.fromEntries(
    Object.entries(headers).flatMap(([name, value]) => (value === undefined ? [] : [[name, value]])),
  );

const describeCaching = (headers: Readonly<Record<string, string>>): string =>
  ['cache-control', 'expires', 'pragma']
    .flatMap((name) => (headers[name] === undefined ? [] : [`${name}: ${headers[name]}`]))
    .join(', ') || NONE;
