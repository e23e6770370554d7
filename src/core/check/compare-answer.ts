/** What an endpoint sent beside what it must have sent, and what usually causes a difference. */
import type { Aspect, Difference, FailureCause } from './difference.js';
import { headerOf } from '../hosting/answer.js';
import { findLeak } from './private-probes.js';
import { isDatedNow, single, type Kind, type Observed, type Probe } from './probe.js';

export interface Failure extends Difference {
  readonly url: string;
  readonly about: Kind;
}

/**
 * Compares one answer with what was expected; the first aspect that differs is the cause of the rest.
 * @param first the answer to the plain request, where this one follows up on it
 */
export function compareAnswer(probe: Probe, url: string, observed: Observed, first?: Observed): Failure[] {
  const differences = first ? compareFollowUp(probe, observed, first) : comparePlain(probe, url, observed);
  return differences.map((difference) => ({ url, about: probe.about, ...difference }));
}

const differ = (aspect: Aspect, expected: string, observed: string, cause: FailureCause): Difference => ({
  aspect,
  expected,
  observed,
  cause,
});

const REDIRECTS = [301, 302, 307, 308];

function comparePlain(probe: Probe, url: string, observed: Observed): Difference[] {
  const { expected, about } = probe;
  const { status } = observed;
  const leak = findLeak(probe, observed);
  if (leak) return [leak];
  // How a host refuses a spelling is its own affair.
  if (about === 'private spelling') return [];
  if (about === 'another method') {
    return status >= 400 ? [] : [differ('status', String(expected.status), String(status), 'takes-writing')];
  }
  if (expected.status !== status) {
    const slash =
      about === 'folder without slash' && REDIRECTS.includes(expected.status) && REDIRECTS.includes(status);
    if (!slash)
      return [differ('status', String(expected.status), String(status), statusCause(probe, status))];
  }
  const differences: Difference[] = [];
  const header = (
    aspect: Aspect,
    name: string,
    cause: FailureCause,
    same: (a: string, b: string) => boolean,
  ): void => {
    const wanted = headerOf(expected.headers, name);
    const got = single(observed.headers[name.toLowerCase()]);
    if (wanted === undefined && (got === undefined || expected.body.kind !== 'object')) return;
    if (!same(wanted ?? '', got ?? ''))
      differences.push({
        ...differ(aspect, wanted ?? 'absent', got ?? 'absent', cause),
        header: name,
      });
  };
  header('location', 'Location', 'redirect-differs', (a, b) => sameLocation(a, b, url));
  if (expected.body.kind !== 'object') return differences;
  const { object } = expected.body;
  if (about === 'for another site') {
    header('sharing', 'Access-Control-Allow-Origin', 'not-shared', equal);
    header(
      'sharing',
      'Vary',
      'not-shared',
      (a, b) => a === '' || namesIn(b).has(a.toLowerCase()) || b.trim() === '*',
    );
  }
  header('type', 'Content-Type', 'own-type', alike);
  header('caching', 'Cache-Control', 'own-caching', alike);
  header('caching', 'Expires', 'own-expires', equal);
  header('encoding', 'Content-Encoding', 're-encodes', equal);
  if (observed.digest !== object.digest) {
    differences.push(
      differ(
        'bytes',
        `sha256 ${object.digest.slice(0, 12)}…, ${object.size} bytes`,
        `sha256 ${observed.digest.slice(0, 12)}…, ${observed.length} bytes`,
        'other-bytes',
      ),
    );
    return differences;
  }
  header('length', 'Content-Length', 'false-length', (a, b) => a === b || b === '');
  if (about === 'object' && !('etag' in observed.headers) && !('last-modified' in observed.headers)) {
    differences.push(differ('validators', 'an ETag or a Last-Modified', 'neither', 'no-validator'));
  }
  return differences;
}

const namesIn = (list: string): ReadonlySet<string> =>
  new Set(list.split(',').map((name) => name.trim().toLowerCase()));

/** Headers that HEAD sends as GET does, by the aspect that they are of. */
const SAME_ON_HEAD: Readonly<Record<string, Aspect>> = {
  'Content-Type': 'type',
  'Cache-Control': 'caching',
  ETag: 'validators',
  'Last-Modified': 'validators',
  'Content-Encoding': 'encoding',
};

function compareFollowUp({ about, expected }: Probe, observed: Observed, first: Observed): Difference[] {
  const { status } = observed;
  if (about === 'HEAD') return compareHead(expected.status, observed, first);
  if (about === 'a range' && expected.status === 206 && expected.body.kind === 'object') {
    if (status !== 206) return [differ('range', '206', String(status), 'range-ignored')];
    if (first.sliceDigest === observed.digest) return [];
    const { start = 0, end = 0 } = expected.body.range ?? {};
    return [differ('range', `bytes ${start}-${end}`, `${observed.length} other bytes`, 'wrong-part')];
  }
  const aspect = about === 'a range' ? 'range' : 'validators';
  if (status !== expected.status) {
    const cause = expected.status === 304 ? 'validator-ignored' : 'condition-differs';
    return [differ(aspect, String(expected.status), String(status), cause)];
  }
  // Where the resolver answers with the whole object again, that is what has to come.
  return expected.status === 200 && observed.digest !== first.digest
    ? [differ(aspect, `${first.length} bytes`, `${observed.length} other bytes`, 'wrong-part')]
    : [];
}

function compareHead(expected: number, observed: Observed, first: Observed): Difference[] {
  const { status } = observed;
  const cause = 'head-differs';
  if (status !== expected)
    return [
      differ('status', `${expected}${expected === first.status ? ', as GET' : ''}`, String(status), cause),
    ];
  if (expected !== first.status) return [];
  const length = single(observed.headers['content-length']);
  if (length !== undefined && Number(length) !== first.length)
    return [differ('length', `${first.length}, as GET`, length, cause)];
  return Object.entries(SAME_ON_HEAD).flatMap(([header, aspect]) => {
    const [a, b] = [first, observed].map(({ headers }) => single(headers[header.toLowerCase()]) ?? 'absent');
    // The object's own date lies ahead of the endpoint's clock.
    if (header === 'Last-Modified' && [first, observed].every(isDatedNow)) return [];
    return a === b ? [] : [{ ...differ(aspect, `${a ?? ''}, as GET`, b ?? '', cause), header }];
  });
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

function statusCause({ about, expected }: Probe, observed: number): FailureCause {
  if (observed === 403 || observed === 401)
    return expected.status === 404 ? 'hides-missing-keys' : 'refuses-public';
  if (about === 'private object' && observed < 300) return 'shows-private';
  if (expected.status === 404 && observed === 200) return 'wrong-address-200';
  if (about === 'folder' && observed === 404) return 'no-folder-index';
  if (about === 'folder without slash') return 'no-folder-redirect';
  if (about === 'moved address' || about === 'moved host') return 'moved-unknown';
  if (observed === 404) return 'missing';
  if (observed === 429) return 'asks-to-wait';
  return observed >= 500 ? 'fails-itself' : 'settings-differ';
}
