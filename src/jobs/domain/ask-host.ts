/** The host that a name leads to, asked for the site under that name. */
import { headerOf, type WebRequest } from '../../core/hosting/answer.js';
import { resolve } from '../../core/hosting/resolve.js';
import type { HostAnswer } from '../../core/dns/naming-context.js';
import type { RequiredRecords } from '../../core/dns/required-records.js';
import type { Project } from '../project/open-project.js';
import { openStoreIfThere } from '../project/open-store.js';
import { sourceOf, withView } from '../trace/found-view.js';

const TIMEOUT_MS = 5000;

/** What the release answers to `/` under a name, in words; undefined where there is none. */
async function readExpected(project: Project, name: string, secure: boolean): Promise<string | undefined> {
  const store = await openStoreIfThere(project);
  try {
    const snapshot = await store?.open(project.destination.bucket);
    if (!snapshot) return undefined;
    try {
      const request: WebRequest = { method: 'GET', target: '/', headers: { host: name }, secure };
      const { status, headers } = await withView(sourceOf(snapshot), (view) => resolve(request, view));
      return inWords(status, headerOf(headers, 'Location'), headerOf(headers, 'ETag'));
    } finally {
      await snapshot.close();
    }
  } catch {
    // What cannot be read is no answer to compare with.
    return undefined;
  } finally {
    await store?.close();
  }
}

const inWords = (status: number, location: string | undefined, tag: string | undefined): string =>
  [
    String(status),
    ...(location === undefined ? [] : [`to ${location}`]),
    ...(status === 200 && tag !== undefined
      ? [`with ETag ${tag.replace(/^W\//, '').replaceAll('"', '')}`]
      : []),
  ].join(' ');

/** @param address that the name leads to */
export async function askHost(
  project: Project,
  { name, role }: RequiredRecords,
  address: string,
): Promise<HostAnswer> {
  const { front } = project.destination;
  // A name that moves its visitors is asked as they come who type it.
  const secure = role === 'site' && (front?.https ?? false);
  const url = `${secure ? 'https' : 'http'}://${name}/`;
  const expected = await readExpected(project, name, secure);
  const { askAddress } = await import('../../endpoint/index.js');
  const { status, headers, trouble } = await askAddress(new URL(url), address, TIMEOUT_MS);
  if (trouble !== undefined) return { url, seen: trouble, expected: expected ?? 'an answer' };
  const seen = inWords(status, headers['location'], headers['etag']);
  if (expected === undefined) return { url, seen, expected: status < 400 ? seen : 'the site' };
  // A front may compress, and a host write its tags otherwise: then the status alone tells.
  const isComparable = expected.includes(' with ETag ') && headers['etag'] !== undefined;
  return isComparable || !seen.startsWith(expected.split(' ')[0] ?? '')
    ? { url, seen, expected }
    : { url, seen, expected: status === 200 ? seen : expected };
}
