/** Probes: requests to send to an endpoint, with the answer that the resolver says each must get. */
import { resolve } from '../hosting/resolve.js';
import { headerOf, type Answer, type WebRequest } from '../hosting/answer.js';
import type { BucketView } from '../hosting/bucket-view.js';
import { keyToPath } from '../site/key.js';
import type { StoredObject } from '../site/site-object.js';

export interface Probe {
  readonly request: WebRequest;
  /** What it is about, for people: `object`, `folder`, `wrong address`… */
  readonly about: string;
  readonly expected: Answer;
}

const ask = (
  view: BucketView,
  about: string,
  target: string,
  method = 'GET',
  headers: Record<string, string> = {},
): Probe => {
  const request = { method, target, headers };
  return { request, about, expected: resolve(request, view) };
};

/** Names that no site has. */
const WRONG = ['/no-such-page-7f3a', '/no-such/folder/at/depth-7f3a'];

/** Every folder that has an index document, as its address with the slash; the root is ''. */
export function listFolders(objects: readonly StoredObject[], index: string): string[] {
  return objects
    .filter(({ key }) => key === index || key.endsWith(`/${index}`))
    .map(({ key }) => key.slice(0, -index.length));
}

/** Lists the probes of one release; `objects` may be a sample of it. Made one by one, so that a large site takes little memory. */
export function* listProbes(view: BucketView, objects: readonly StoredObject[]): Generator<Probe> {
  for (const object of objects) {
    yield ask(view, 'object', keyToPath(object.key));
  }
  for (const folder of listFolders(objects, view.settings.documents.index)) {
    yield ask(view, 'folder', folder === '' ? '/' : keyToPath(folder));
    if (folder !== '') yield ask(view, 'folder without slash', keyToPath(folder.slice(0, -1)));
  }
  for (const target of WRONG) yield ask(view, 'wrong address', target);
  for (const address of [
    ...Object.keys(view.settings.moved.permanently),
    ...Object.keys(view.settings.moved.temporarily),
  ]) {
    yield ask(view, 'moved address', encodeURI(address.replace('*', 'some/page')));
  }
}

/** Requests beyond plain reading, on one object: conditions, ranges, HEAD and a method that is refused. */
export function* listManners(view: BucketView, object: StoredObject): Generator<Probe> {
  const target = keyToPath(object.key);
  const { headers } = resolve({ method: 'GET', target, headers: {} }, view);
  const etag = headerOf(headers, 'ETag');
  yield ask(view, 'HEAD', target, 'HEAD');
  if (etag !== undefined) yield ask(view, 'unchanged since', target, 'GET', { 'if-none-match': etag });
  if (object.size > 1)
    yield ask(view, 'a range', target, 'GET', { range: `bytes=1-${Math.min(object.size - 1, 1000)}` });
}

/** What an endpoint answered. `digest` is the SHA-256 of the body, hexadecimal. */
export interface Observed {
  readonly status: number;
  readonly headers: Readonly<Record<string, string | string[] | undefined>>;
  readonly digest: string;
  readonly length: number;
}

export interface Failure {
  readonly url: string;
  readonly about: string;
  readonly aspect: string;
  readonly expected: string;
  readonly observed: string;
  readonly fix: string;
}

const single = (value: string | string[] | undefined): string | undefined =>
  Array.isArray(value) ? value.join(', ') : value;

/** Compares one answer with what was expected; the first aspect that differs is the cause of the rest. */
export function compareAnswer(probe: Probe, url: string, observed: Observed): Failure[] {
  const { expected, request } = probe;
  const differ = (aspect: string, wanted: string, got: string, fix: string): Failure => ({
    url,
    about: probe.about,
    aspect,
    expected: wanted,
    observed: got,
    fix,
  });
  const status = String(observed.status);
  if (expected.status !== observed.status) {
    const redirects = [301, 302, 307, 308];
    const bothRedirect = redirects.includes(expected.status) && redirects.includes(observed.status);
    if (!(bothRedirect && probe.about === 'folder without slash'))
      return [differ('status', String(expected.status), status, statusFix(expected.status, observed.status))];
  }
  const failures: Failure[] = [];
  const compareHeader = (name: string, fix: string, same: (a: string, b: string) => boolean): void => {
    const wanted = headerOf(expected.headers, name);
    const got = single(observed.headers[name.toLowerCase()]);
    if (wanted === undefined && (got === undefined || expected.body.kind !== 'object')) return;
    if (!same(wanted ?? '', got ?? ''))
      failures.push(differ(name.toLowerCase(), wanted ?? '(none)', got ?? '(none)', fix));
  };
  compareHeader(
    'Location',
    'set the redirect at the endpoint as `moved` or the folder needs it',
    (a, b) => a === b || sameLocation(a, b, url),
  );
  if (expected.body.kind === 'object') {
    compareHeader(
      'Content-Type',
      'the endpoint sends its own type: publish again, or remove its type rules',
      (a, b) => squeeze(a) === squeeze(b),
    );
    compareHeader(
      'Cache-Control',
      'something before the bucket sets caching of its own: turn that off, or make it pass headers through',
      (a, b) => squeeze(a) === squeeze(b),
    );
    compareHeader('Expires', 'something before the bucket sets caching of its own', (a, b) => a === b);
    compareHeader(
      'Content-Encoding',
      'the endpoint re-encodes the body: turn its compression off for what is already compressed',
      (a, b) => a === b,
    );
    compareHeader(
      'Content-Length',
      'the endpoint sends other bytes than were published',
      (a, b) => a === b || b === '',
    );
    const { object, range } = expected.body;
    if (request.method === 'GET' && !range && observed.digest !== object.digest) {
      failures.push(
        differ(
          'bytes',
          `sha256 ${object.digest.slice(0, 12)}…, ${object.size} bytes`,
          `sha256 ${observed.digest.slice(0, 12)}…, ${observed.length} bytes`,
          'publish again; if it stays, something before the bucket rewrites or keeps an old copy',
        ),
      );
    }
    if (range && observed.length !== range.end - range.start + 1)
      failures.push(
        differ(
          'length',
          String(range.end - range.start + 1),
          String(observed.length),
          'the endpoint does not honour ranges, so media cannot seek',
        ),
      );
  }
  return failures;
}

const squeeze = (value: string): string => value.toLowerCase().replace(/\s+/g, '').replace(/"/g, '');

function sameLocation(a: string, b: string, url: string): boolean {
  try {
    return new URL(a, url).href === new URL(b, url).href;
  } catch {
    return false;
  }
}

function statusFix(expected: number, observed: number): string {
  if (observed === 403 || observed === 401)
    return expected === 404
      ? 'the endpoint hides which keys exist: let the public list nothing but learn of missing keys, or set quirks.missingKey to 403'
      : 'the endpoint refuses the public: open the bucket and check its policy';
  if (expected === 404 && observed === 200)
    return 'the endpoint sends 200 for a wrong address: set the error document to come with 404';
  if (observed === 404)
    return 'the endpoint does not have it: publish again, and check that the index document is set';
  if (observed >= 500) return 'the endpoint itself fails: see its log';
  return "check the endpoint's website settings against `fenestra config show`";
}
