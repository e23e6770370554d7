/**
 * Requests for what nobody may read, in every spelling that a host may take for the same key: none of them may bring its
 * bytes, or tell how long they are or that they are there.
 */
import { headerOf } from '../hosting/answer.js';
import type { BucketView } from '../hosting/bucket-view.js';
import { resolve } from '../hosting/resolve.js';
import { keyToPath } from '../site/key.js';
import type { StoredObject } from '../site/site-object.js';
import type { Difference } from './difference.js';
import { single, type Observed, type Probe } from './probe.js';

/** So many private keys are asked for in every spelling; all of them are in their own. */
export const MAX_SPELLED = 12;

/** How many requests one private key has at the most. */
export const SPELLED_REQUESTS = 4 * 17;

/** Other addresses that a host may take for the same key. @param path `/drafts/secret.html` */
export function listSpellings(key: string): string[] {
  const path = keyToPath(key);
  const slash = path.lastIndexOf('/');
  const [folder, name] = [path.slice(0, slash), path.slice(slash + 1)];
  const first = path.charCodeAt(1);
  const escaped = `/%${first.toString(16).padStart(2, '0')}${path.slice(2)}`;
  const spellings = [
    path,
    `/${path}`,
    `${folder}//${name}`,
    `${folder}/./${name}`,
    `/x/..${path}`,
    `/x/%2e%2e${path}`,
    `${folder}/%2e/${name}`,
    path[1] === '%' ? path : escaped,
    `${folder}%2f${name}`,
    `${folder}%2F${name}`,
    `${path}/`,
    `${path}?x=1`,
    `${path}%20`,
    path.replace(/[a-z]/g, (letter) => letter.toUpperCase()),
    path.replace(/%[0-9A-F]{2}/g, (code) => code.toLowerCase()),
    encodeURI(`/${key.normalize('NFD')}`),
    encodeURI(`/${key.normalize('NFC')}`),
  ];
  // `%2f` before the first folder is the doubled slash again.
  return [...new Set(spellings.filter((each) => each.startsWith('/')))];
}

const WAYS: readonly (readonly [method: string, headers: Readonly<Record<string, string>>])[] = [
  ['GET', {}],
  ['HEAD', {}],
  ['GET', { range: 'bytes=0-9' }],
  ['GET', { 'if-none-match': '*' }],
];

/** @param hidden objects that nobody may read */
export function* listPrivateProbes(view: BucketView, hidden: readonly StoredObject[]): Generator<Probe> {
  for (const object of hidden.slice(0, MAX_SPELLED))
    for (const target of listSpellings(object.key))
      for (const [method, headers] of WAYS) {
        const request = { method, target, headers };
        yield { request, about: 'private spelling', expected: resolve(request, view), view, hides: object };
      }
}

/** What an answer gives away of an object that nobody may read. */
export function findLeak(
  { request, expected, view, hides }: Probe,
  observed: Observed,
): Difference | undefined {
  if (!hides || mayBe(expected, hides)) return undefined;
  const { status, headers } = observed;
  const leak = (aspect: Difference['aspect'], what: string, cause: Difference['cause']): Difference => ({
    aspect,
    expected: `${expected.status}, and nothing of it`,
    observed: what,
    cause,
  });
  if (hides.size > 0 && observed.digest === hides.digest)
    return leak('bytes', `${status} with all its ${hides.size} bytes`, 'shows-private');
  if (status === 206) return leak('range', `206 with ${observed.length} bytes of it`, 'shows-private');
  if (request.headers['if-none-match'] !== undefined && (status === 304 || status === 412))
    return leak('status', `${status}, so it is there`, 'tells-of-private');
  const range = single(headers['content-range']);
  if (range !== undefined && range.endsWith(`/${hides.size}`))
    return leak('range', `Content-Range: ${range}`, 'tells-of-private');
  const tag = single(headers['etag']);
  if (tag !== undefined && tagsOf(hides, view).some((own) => tag.includes(own)))
    return leak('validators', `ETag: ${tag}`, 'tells-of-private');
  const length = single(headers['content-length']);
  if (request.method === 'HEAD' && status < 300 && length === String(hides.size))
    return leak('length', `${status} with Content-Length: ${length}`, 'tells-of-private');
  return undefined;
}

/** Whether the same bytes are what anyone may get there: a public copy, or the error document. */
const mayBe = ({ body }: Probe['expected'], { digest }: StoredObject): boolean =>
  body.kind === 'object' && body.object.digest === digest;

/** Parts of tags that say what the bytes are. */
function tagsOf(object: StoredObject, view: BucketView): string[] {
  const open = {
    ...view,
    access: 'open' as const,
    settings: { ...view.settings, readable: { keys: ['**'], except: [] } },
  };
  const { headers } = resolve({ method: 'HEAD', target: keyToPath(object.key), headers: {} }, open);
  const own = headerOf(headers, 'ETag')?.replace(/^W\/|"/g, '');
  return [own, object.md5, object.digest].filter((each) => each !== undefined && each !== '') as string[];
}
