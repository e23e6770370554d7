/** A folder that is asked for without its slash. */
import type { ReadPolicy } from '../access/read-policy.js';
import { keyToPath } from '../site/key.js';
import type { Answer, Recorder, WebRequest } from './answer.js';
import type { BucketView } from './bucket-view.js';
import type { Quirks } from './quirks.js';
import { resolveObject } from './representation.js';

/** `folder` asked for without its slash, where `folder/` has an index document that anyone may read. */
export function resolveFolder(
  request: WebRequest,
  bucket: BucketView,
  key: string,
  query: string,
  quirks: Quirks,
  policy: ReadPolicy,
  trace?: Recorder,
): Answer | undefined {
  const indexKey = `${key}/${bucket.settings.documents.index}`;
  const possible =
    quirks.folderWithoutSlash !== 'missing' &&
    quirks.indexDocuments === 'every-folder' &&
    !key.startsWith('/');
  const readable = (each: string): boolean => policy.isReadable(each);
  const index = possible && policy.isReadable(indexKey) ? bucket.find(indexKey) : undefined;
  const isFolder =
    index !== undefined ||
    (possible &&
      quirks.folderWithoutIndex === 'redirect' &&
      // What nobody may read never reaches a host without a policy by key.
      (bucket.hasBelow?.(`${key}/`, quirks.privateKey === 'missing' ? readable : undefined) ?? false));
  if (!isFolder) {
    trace?.note(
      'folder',
      'no',
      possible ? `there is no ${indexKey} either` : 'this host does not look for folders',
    );
    return undefined;
  }
  if (index && quirks.folderWithoutSlash === 'index') {
    trace?.note('folder', indexKey, 'this host serves the index document at the address without the slash');
    return resolveObject(request, index, 200, 'index', quirks, trace);
  }
  const location =
    quirks.folderRedirectForm === 'path'
      ? `${keyToPath(key)}/${query}`
      : `${originOf(request)}${keyToPath(key)}/`;
  trace?.note(
    'folder',
    `${quirks.folderRedirectStatus} to ${location}`,
    index
      ? `${indexKey} exists, so the folder's address has a closing slash`
      : `keys lie below ${key}/, and this host looks no further`,
  );
  return {
    status: quirks.folderRedirectStatus,
    headers: ['Location', location],
    body: { kind: 'none' },
    reason: 'folder',
    key,
    because: index ? `${key}/ is a folder with an index document` : `${key}/ is a folder`,
  };
}

/** Where the request went, as far as it tells; nothing where it does not, so that what is joined with it is a path. */
function originOf({ headers }: WebRequest): string {
  const host = headers['host'];
  return typeof host === 'string' && /^[\w.:[\]-]+$/.test(host) ? `http://${host}` : '';
}
