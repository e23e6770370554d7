/** What an endpoint sent beside what it must have sent, and the setting that usually causes a difference. */
import { headerOf } from '../hosting/answer.js';
import { sliceOf, single, type Kind, type Observed, type Probe } from './probe.js';

export const ASPECTS = [
  'answer',
  'status',
  'location',
  'type',
  'caching',
  'encoding',
  'length',
  'bytes',
  'validators',
  'range',
] as const;
export type Aspect = (typeof ASPECTS)[number];

export interface Failure {
  readonly url: string;
  readonly about: Kind;
  readonly aspect: Aspect;
  readonly expected: string;
  readonly observed: string;
  /** What usually causes it, as what to do. */
  readonly fix: string;
}

interface Difference {
  readonly aspect: Aspect;
  readonly expected: string;
  readonly observed: string;
  readonly fix: string;
}

/**
 * Compares one answer with what was expected; the first aspect that differs is the cause of the rest.
 * @param first the answer to the plain request, where this one follows up on it
 */
export function compareAnswer(probe: Probe, url: string, observed: Observed, first?: Observed): Failure[] {
  const differences = first ? compareManner(probe, observed, first) : comparePlain(probe, url, observed);
  return differences.map((difference) => ({ url, about: probe.about, ...difference }));
}

const differ = (aspect: Aspect, expected: string, observed: string, fix: string): Difference => ({
  aspect,
  expected,
  observed,
  fix,
});

const REDIRECTS = [301, 302, 307, 308];

function comparePlain(probe: Probe, url: string, observed: Observed): Difference[] {
  const { expected, about } = probe;
  const { status } = observed;
  if (about === 'another method') {
    return status >= 400
      ? []
      : [
          differ(
            'status',
            String(expected.status),
            String(status),
            'the endpoint takes more than reading from anyone: let the public only read',
          ),
        ];
  }
  if (expected.status !== status) {
    const slash =
      about === 'folder without slash' && REDIRECTS.includes(expected.status) && REDIRECTS.includes(status);
    if (!slash) return [differ('status', String(expected.status), String(status), statusFix(probe, status))];
  }
  const differences: Difference[] = [];
  const header = (
    aspect: Aspect,
    name: string,
    fix: string,
    same: (a: string, b: string) => boolean,
  ): void => {
    const wanted = headerOf(expected.headers, name);
    const got = single(observed.headers[name.toLowerCase()]);
    if (wanted === undefined && (got === undefined || expected.body.kind !== 'object')) return;
    if (!same(wanted ?? '', got ?? ''))
      differences.push(differ(aspect, wanted ?? '(none)', got ?? '(none)', fix));
  };
  header(
    'location',
    'Location',
    'set the redirect at the endpoint as `moved` or the folder needs it',
    (a, b) => sameLocation(a, b, url),
  );
  if (expected.body.kind !== 'object') return differences;
  const { object } = expected.body;
  header(
    'type',
    'Content-Type',
    'the endpoint sends its own type: publish again, or remove its type rules',
    alike,
  );
  header(
    'caching',
    'Cache-Control',
    'something before the bucket sets caching of its own: turn that off, or make it pass headers through',
    alike,
  );
  header('caching', 'Expires', 'something before the bucket sets caching of its own', equal);
  header(
    'encoding',
    'Content-Encoding',
    'the endpoint re-encodes the body: turn its compression off for what is already compressed',
    equal,
  );
  if (observed.digest !== object.digest) {
    differences.push(
      differ(
        'bytes',
        `sha256 ${object.digest.slice(0, 12)}…, ${object.size} bytes`,
        `sha256 ${observed.digest.slice(0, 12)}…, ${observed.length} bytes`,
        'publish again; if it stays, something before the bucket rewrites or keeps an old copy',
      ),
    );
    return differences;
  }
  header(
    'length',
    'Content-Length',
    'the endpoint says another length than it sends',
    (a, b) => a === b || b === '',
  );
  if (about === 'object' && !('etag' in observed.headers) && !('last-modified' in observed.headers)) {
    differences.push(
      differ(
        'validators',
        'an ETag or a Last-Modified',
        'neither',
        'let the endpoint pass them on: without a validator every return visit downloads it again',
      ),
    );
  }
  return differences;
}

const SAME_ON_HEAD = ['content-type', 'cache-control', 'etag', 'last-modified', 'content-encoding'] as const;

function compareManner({ about, expected }: Probe, observed: Observed, first: Observed): Difference[] {
  const { status } = observed;
  switch (about) {
    case 'HEAD': {
      const cause = 'the endpoint answers HEAD otherwise than GET: see which part of it answers HEAD';
      if (status !== first.status)
        return [differ('status', `${first.status}, as GET`, String(status), cause)];
      const length = single(observed.headers['content-length']);
      if (length !== undefined && Number(length) !== first.length)
        return [differ('length', `${first.length}, as GET`, length, cause)];
      return SAME_ON_HEAD.flatMap((name) => {
        const [a, b] = [single(first.headers[name]) ?? '(none)', single(observed.headers[name]) ?? '(none)'];
        const aspect =
          name === 'content-type'
            ? 'type'
            : name === 'cache-control'
              ? 'caching'
              : name === 'content-encoding'
                ? 'encoding'
                : 'validators';
        return a === b ? [] : [differ(aspect, `${name}: ${a}, as GET`, b, cause)];
      });
    }
    case 'unchanged by ETag':
    case 'unchanged by date':
      return status === 304
        ? []
        : [
            differ(
              'validators',
              '304',
              String(status),
              'the endpoint sends a validator and does not honour it, so return visits download everything again: let it compare',
            ),
          ];
    case 'a range': {
      const size = expected.body.kind === 'object' ? expected.body.object.size : 0;
      const slice = sliceOf(size);
      const cause = 'the endpoint does not honour ranges, so media cannot seek: let it pass Range on';
      if (status !== 206) return [differ('range', '206', String(status), cause)];
      if (first.sliceDigest !== observed.digest)
        return [
          differ(
            'range',
            `bytes ${slice?.start ?? 0}-${slice?.end ?? 0}`,
            `${observed.length} other bytes`,
            'the endpoint sends the wrong part: see what rewrites bodies before the bucket',
          ),
        ];
      return [];
    }
    default:
      return [];
  }
}

const equal = (a: string, b: string): boolean => a === b;
const squeeze = (value: string): string => value.toLowerCase().replace(/\s+/g, '').replace(/"/g, '');
const alike = (a: string, b: string): boolean => squeeze(a) === squeeze(b);

function sameLocation(a: string, b: string, url: string): boolean {
  try {
    return new URL(a, url).href === new URL(b, url).href;
  } catch {
    return false;
  }
}

function statusFix({ about, expected }: Probe, observed: number): string {
  if (observed === 403 || observed === 401)
    return expected.status === 404
      ? 'the endpoint hides which keys exist: let it tell the public of missing keys, or set quirks.missingKey to 403'
      : 'the endpoint refuses the public: open the bucket and check its policy';
  if (about === 'private object' && observed < 300)
    return 'the endpoint lets anyone read it: narrow its policy to what `readable` says';
  if (expected.status === 404 && observed === 200)
    return 'the endpoint sends 200 for a wrong address: set the error document to come with 404';
  if (about === 'folder' && observed === 404)
    return 'the endpoint has no index document for folders: name it in its website settings, or link to the documents in full';
  if (about === 'folder without slash')
    return 'the endpoint does not redirect to the folder: write links with the closing slash, or set quirks.folderWithoutSlash';
  if (about === 'moved address') return 'the endpoint does not know the moved address: give it the redirect';
  if (observed === 404) return 'the endpoint does not have it: publish again';
  if (observed === 429) return 'the endpoint asks for patience: lower --rate or --concurrency';
  if (observed >= 500) return 'the endpoint itself fails: see its log';
  return "check the endpoint's website settings against `fenestra config show`";
}
