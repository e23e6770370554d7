/** Points on which real bucket hosts differ, each with the setting that our emulation uses. */

export interface Quirks {
  readonly folderWithoutSlash: 'redirect' | 'index' | 'missing';
  readonly folderRedirectStatus: 301 | 302 | 307 | 308;
  readonly missingKey: 404 | 403;
  readonly closedBucket: 403 | 401;
  readonly refusalDocument: 'notice' | 'error';
  readonly indexDocuments: 'every-folder' | 'root';
  readonly errorDocumentStatus: 'as-is' | 200;
  readonly unlabelledType: 'application/octet-stream' | 'binary/octet-stream' | 'none';
}

export interface QuirkEntry {
  readonly choices: readonly (string | number)[];
  readonly explain: string;
  /** What a site must avoid so that it works whichever way a host decides. */
  readonly portable: string;
}

export const DEFAULT_QUIRKS: Quirks = {
  folderWithoutSlash: 'redirect',
  folderRedirectStatus: 302,
  missingKey: 404,
  closedBucket: 403,
  refusalDocument: 'notice',
  indexDocuments: 'every-folder',
  errorDocumentStatus: 'as-is',
  unlabelledType: 'application/octet-stream',
};

export const QUIRKS: Readonly<Record<keyof Quirks, QuirkEntry>> = {
  folderWithoutSlash: {
    choices: ['redirect', 'index', 'missing'],
    explain:
      'What `/visit` answers when only `visit/index.html` exists: a redirect to `/visit/`, the index document itself, or that it is missing.',
    portable: 'Write links to folders with their closing slash.',
  },
  folderRedirectStatus: {
    choices: [301, 302, 307, 308],
    explain: 'The status of the redirect from `/visit` to `/visit/`.',
    portable: 'Do not rely on the redirect being remembered, or on its being asked for again.',
  },
  missingKey: {
    choices: [404, 403],
    explain:
      'What a key that does not exist answers in an open bucket: some hosts hide which keys exist behind 403.',
    portable: 'Let no script tell "missing" from "forbidden".',
  },
  closedBucket: {
    choices: [403, 401],
    explain: 'What a closed bucket answers.',
    portable: 'Nothing: a published bucket is open.',
  },
  refusalDocument: {
    choices: ['notice', 'error'],
    explain: "What a refused address shows: the host's own notice, or the site's error document.",
    portable: 'Write the error document so that it suits a refusal too.',
  },
  indexDocuments: {
    choices: ['every-folder', 'root'],
    explain: 'Whether index documents answer for every folder or for the root alone.',
    portable: 'Link to `visit/index.html` in full.',
  },
  errorDocumentStatus: {
    choices: ['as-is', 200],
    explain:
      'The status that the error document comes with for a missing key: 404 as it is, or 200 on hosts that are set up for single-page sites.',
    portable: 'Let no script or crawler depend on the status of a wrong address.',
  },
  unlabelledType: {
    choices: ['application/octet-stream', 'binary/octet-stream', 'none'],
    explain: 'The type sent for an object that was published without one.',
    portable: 'Give every object a content type.',
  },
};

/** Named sets of quirks: ways that hosts are commonly set up, for the portability check. */
export const QUIRK_SETS: Readonly<Record<string, Partial<Quirks>>> = {
  usual: {},
  secretive: { missingKey: 403, refusalDocument: 'error', folderRedirectStatus: 302 },
  'root-index-only': {
    indexDocuments: 'root',
    folderWithoutSlash: 'missing',
    unlabelledType: 'binary/octet-stream',
  },
  'without-redirects': { folderWithoutSlash: 'index' },
  'asks-for-login': { closedBucket: 401, folderRedirectStatus: 301, refusalDocument: 'error' },
  'one-page-app': { errorDocumentStatus: 200, folderWithoutSlash: 'missing' },
};
