/** Points on which real bucket hosts differ, each with the setting that our emulation uses. */

export interface QuirkEntry<C extends string | number = string | number> {
  /** What hosts do; the first is what our emulation does unless it is told otherwise. */
  readonly choices: readonly C[];
  readonly explain: string;
  /** What a site must avoid so that it works whichever way a host decides. */
  readonly portable: string;
}

const quirk = <const C extends string | number>(entry: QuirkEntry<C>): QuirkEntry<C> => entry;

/** The one table of quirks: the config, the docs and the types are made from it. */
export const QUIRKS = {
  folderWithoutSlash: quirk({
    choices: ['redirect', 'index', 'missing'],
    explain:
      'What `/visit` answers when only `visit/index.html` exists: a redirect to `/visit/`, the index document itself, or that it is missing.',
    portable: 'Write links to folders with their closing slash.',
  }),
  folderRedirectStatus: quirk({
    choices: [302, 301, 307, 308],
    explain: 'The status of the redirect from `/visit` to `/visit/`.',
    portable: 'Do not rely on the redirect being remembered, or on its being asked for again.',
  }),
  missingKey: quirk({
    choices: [404, 403],
    explain:
      'What a key that does not exist answers in an open bucket: some hosts hide which keys exist behind 403.',
    portable: 'Let no script tell "missing" from "forbidden".',
  }),
  closedBucket: quirk({
    choices: [403, 401],
    explain: 'What a closed bucket answers.',
    portable: 'Nothing: a published bucket is open.',
  }),
  refusalDocument: quirk({
    choices: ['notice', 'error'],
    explain: "What a refused address shows: the host's own notice, or the site's error document.",
    portable: 'Write the error document so that it suits a refusal too.',
  }),
  indexDocuments: quirk({
    choices: ['every-folder', 'root'],
    explain: 'Whether index documents answer for every folder or for the root alone.',
    portable: 'Link to `visit/index.html` in full.',
  }),
  errorDocumentStatus: quirk({
    choices: ['as-is', 200],
    explain:
      'The status that the error document comes with for a missing key: 404 as it is, or 200 on hosts that are set up for single-page sites.',
    portable: 'Let no script or crawler depend on the status of a wrong address.',
  }),
  appPages: quirk({
    choices: ['status-of-missing', 'page', 'error-document'],
    explain:
      "What an address of `documents.appPaths` answers where no object lies: the app's page with the status of a missing key, the page with 200, or the one error document that the host has for every mistake.",
    portable: 'Name the addresses that search engines are to know without a pattern: a copy lies at each.',
  }),
  unlabelledType: quirk({
    choices: ['application/octet-stream', 'binary/octet-stream', 'none'],
    explain: 'The type sent for an object that was published without one.',
    portable: 'Give every object a content type.',
  }),
  privateKey: quirk({
    choices: ['refused', 'missing'],
    explain:
      'What a key answers that the public-read policy does not cover: it is refused, or missing on hosts that have no policy by key, since such objects never reach them.',
    portable: 'Refer to nothing that nobody may read.',
  }),
  folderWithoutIndex: quirk({
    choices: ['missing', 'redirect'],
    explain:
      'What `/posters` answers when keys lie below it and no index document does: that it is missing, or a redirect to `/posters/`, which is missing then.',
    portable: 'Give a folder that is linked to an index document.',
  }),
  folderRedirectForm: quirk({
    choices: ['path', 'address'],
    explain:
      'How the redirect from `/visit` names its target: as a path with the query kept, or as a whole address without the query.',
    portable: 'Write links to folders with their closing slash.',
  }),
  entityTag: quirk({
    choices: ['quoted', 'bare'],
    explain: 'How ETag is written: in quotes, as RFC 9110 section 8.8.3 asks, or bare.',
    portable: 'Let no script take an ETag apart.',
  }),
  conditions: quirk({
    choices: ['in-order', 'each-alone'],
    explain:
      'How conditions are evaluated: in the order of RFC 9110 section 13.2.2, or each by itself, with tags compared as they are written and dates of other zones read.',
    portable: 'Nothing: browsers send conditions on which both agree.',
  }),
  conditionOutcome: quirk({
    choices: ['as-asked', 'missing-with-error-document', 'failure-at-folders'],
    explain:
      "What comes in place of 304, 412 and 416: just that; or, as long as an error document is set, 404 with a notice of the host, so that returning visitors get an error in place of what they hold; or, at a folder's address alone, 500 in place of 412 and 416.",
    portable: 'Set no error document on a host that answers 404 so.',
  }),
  conditionalHeaders: quirk({
    choices: ['needed', 'all'],
    explain: 'Which headers come with 304, 412 and 416: those that are needed, or all of the object.',
    portable: 'Nothing: caches take what they need.',
  }),
  ranges: quirk({
    choices: ['joined', 'each'],
    explain:
      'How Range is read: as RFC 9110 section 14.1 writes it, several that meet as one and several apart as the whole; or with spaces and a plus sign before a number too, and every part by itself (`multipart/byteranges`).',
    portable: 'Nothing: browsers ask for one part at a time, written as the standard has it.',
  }),
  ifRange: quirk({
    choices: ['compared', 'ignored'],
    explain: 'Whether If-Range is compared, or a part sent of whatever the object is by then.',
    portable:
      'Give a large file that changes a new name, so that no download is put together of two versions.',
  }),
  missingHead: quirk({
    choices: ['as-get', 500],
    explain:
      'What HEAD of a missing address answers where the site has an error document: what GET answers, or 500.',
    portable: 'Let nothing ask for addresses with HEAD to see whether they exist.',
  }),
  sharing: quirk({
    choices: ['every-answer', 'asked', 'objects'],
    explain:
      'Which answers say with whom a bucket is shared (CORS): every one, errors and those to nobody in particular too; or those to a page that has leave, redirects apart; or of these the objects alone. What a browser asks beforehand in vain is 204 without leave, or for the last two refused (401).',
    portable:
      'Keep no shared cache before such a bucket that is shared with some sites alone: it could give the answer for nobody to all.',
  }),
  pragmaHeader: quirk({
    choices: ['sent', 'dropped'],
    explain:
      'Whether Pragma, which `http10: true` adds for caches of before HTTP/1.1, comes with an object, or is not among the headers that the host keeps.',
    portable: 'Nothing: Expires, which goes with it, tells those caches the same.',
  }),
  letterForms: quirk({
    choices: ['as-written', 'composed'],
    explain:
      'Whether an address means the bytes that it is written with, or letters in whatever way they are composed: `cafe%CC%81` is `caf%C3%A9` for some hosts, and missing for most.',
    portable: 'Write addresses with composed letters, as keys are: é as one character.',
  }),
  otherMethods: quirk({
    choices: [405, 401],
    explain:
      'What methods that write answer to those who have not signed in: 405, or 401, and 412 for COPY without a place to copy to.',
    portable: 'Nothing: a published site is read.',
  }),
  optionsStatus: quirk({
    choices: [204, 200],
    explain: 'What OPTIONS answers, and what a browser asks beforehand and gets leave for.',
    portable: 'Nothing: browsers take either.',
  }),
  hostNames: quirk({
    choices: ['any-case', 'as-written'],
    explain:
      'Whether a host name in upper case or with a closing dot, and a whole address as target, reach the bucket, as RFCs 9110 and 9112 have it, or no bucket at all.',
    portable: 'Write host names in lower case, without a closing dot.',
  }),
  malformedAddress: quirk({
    choices: ['refused', 'as-written'],
    explain:
      'What an address answers that does not decode: 400, or what stands there is taken as it is written, and 412 where no key could be called so.',
    portable: 'Nothing: no link that works is written so.',
  }),
};

export type QuirkName = keyof typeof QUIRKS;
export type Quirks = { readonly [Q in QuirkName]: (typeof QUIRKS)[Q]['choices'][number] };

export const DEFAULT_QUIRKS = Object.fromEntries(
  Object.entries(QUIRKS).map(([name, { choices }]) => [name, choices[0]]),
) as unknown as Quirks;

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
  'one-page-app': { errorDocumentStatus: 200, folderWithoutSlash: 'missing', appPages: 'page' },
  // As a cluster was measured to answer, request by request.
  swift: {
    closedBucket: 401,
    folderRedirectStatus: 301,
    refusalDocument: 'error',
    appPages: 'error-document',
    privateKey: 'missing',
    folderWithoutIndex: 'redirect',
    folderRedirectForm: 'address',
    entityTag: 'bare',
    conditions: 'each-alone',
    conditionalHeaders: 'all',
    ifRange: 'ignored',
    missingHead: 500,
    otherMethods: 401,
    malformedAddress: 'as-written',
    pragmaHeader: 'dropped',
    sharing: 'asked',
    conditionOutcome: 'failure-at-folders',
    ranges: 'each',
    optionsStatus: 200,
    hostNames: 'as-written',
  },
  // A second engine of the same interface, measured below its path.
  gateway: {
    closedBucket: 401,
    indexDocuments: 'root',
    folderWithoutSlash: 'missing',
    appPages: 'error-document',
    privateKey: 'missing',
    entityTag: 'bare',
    folderWithoutIndex: 'missing',
    missingHead: 'as-get',
    conditions: 'each-alone',
    conditionOutcome: 'missing-with-error-document',
    pragmaHeader: 'dropped',
    sharing: 'objects',
  },
};

/** What a closed bucket answers to everyone. */
export const closedStatus = (settings: { readonly quirks: Partial<Quirks> } | undefined): number =>
  settings?.quirks.closedBucket ?? DEFAULT_QUIRKS.closedBucket;
