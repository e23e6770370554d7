import { expect, test } from 'vitest';
import { lookUpIn } from './find-in.js';
import { NEW_BUCKET_SETTINGS, type BucketView } from './bucket-view.js';
import type { Answer } from './answer.js';
import { DEFAULT_QUIRKS, QUIRKS, type QuirkName, type Quirks } from './quirks.js';
import { resolve } from './resolve.js';

interface Row {
  readonly target: string;
  readonly method?: string;
  readonly headers?: Readonly<Record<string, string>>;
  readonly access?: 'closed';
  /** What else hosts do that differ in this. */
  readonly beside?: Partial<Quirks>;
  /** A second request, where no single one tells all choices apart. */
  readonly then?: Row;
}

/** For each quirk a request that is answered in another way by each of its choices; the compiler names a quirk without. */
const ROWS: Readonly<Record<QuirkName, Row>> = {
  folderWithoutSlash: { target: '/visit' },
  folderRedirectStatus: { target: '/visit' },
  missingKey: { target: '/none' },
  closedBucket: { target: '/', access: 'closed' },
  refusalDocument: { target: '/drafts/plan.html' },
  indexDocuments: { target: '/visit/' },
  errorDocumentStatus: { target: '/none' },
  appPages: { target: '/orders/12' },
  unlabelledType: { target: '/plain' },
  privateKey: { target: '/drafts/plan.html' },
  folderWithoutIndex: { target: '/posters' },
  folderRedirectForm: { target: '/visit?a=b', headers: { host: 'mill.localhost' } },
  entityTag: { target: '/index.html' },
  conditions: {
    target: '/index.html',
    headers: { 'if-none-match': '"other"', 'if-modified-since': 'Mon, 30 Nov 2026 00:00:00 GMT' },
  },
  conditionOutcome: { target: '/visit/', headers: { 'if-match': '"other"' } },
  ranges: { target: '/index.html', headers: { range: 'bytes=0-1,5-6' } },
  optionsStatus: { target: '/index.html', method: 'OPTIONS' },
  hostNames: { target: '/index.html', headers: { host: 'MILL.localhost' } },
  conditionalHeaders: { target: '/index.html', headers: { 'if-none-match': '*' } },
  ifRange: { target: '/index.html', headers: { range: 'bytes=0-9', 'if-range': '"other"' } },
  missingHead: { target: '/none', method: 'HEAD' },
  otherMethods: { target: '/index.html', method: 'PUT' },
  sharing: { target: '/none', then: { target: '/none', headers: { origin: 'https://app.example' } } },
  pragmaHeader: { target: '/posters/owl.html' },
  letterForms: { target: '/cafe%CC%81.html' },
  malformedAddress: { target: '/%zz' },
};

const KEYS = [
  'index.html',
  'visit/index.html',
  'not-found.html',
  'plain',
  'caf\u00e9.html',
  'posters/owl.html',
  'drafts/plan.html',
].sort();
const objects = KEYS.map((key, at) => ({
  key,
  size: 100,
  digest: String(at).repeat(64),
  since: Date.UTC(2026, 10, 1),
  headers:
    key === 'plain'
      ? {}
      : {
          'Content-Type': 'text/html',
          'Cache-Control': 'no-cache',
          ...(key === 'posters/owl.html' ? { Pragma: 'no-cache' } : {}),
        },
}));

function answerOf(
  { target, method = 'GET', headers = {}, access, beside }: Row,
  quirks: Partial<Quirks>,
): string {
  const view: BucketView = {
    name: 'mill',
    access: access ?? 'open',
    release: 1,
    settings: {
      ...NEW_BUCKET_SETTINGS,
      documents: { index: 'index.html', error: 'not-found.html' },
      sharing: { origins: ['https://app.example'], expose: [], keptFor: null },
      readable: { keys: ['**'], except: ['drafts/**'] },
      apps: [{ page: 'index.html', paths: ['/orders/**'] }],
      quirks: { ...DEFAULT_QUIRKS, ...beside, ...quirks },
    },
    ...lookUpIn(objects),
  };
  const { status, headers: sent, body }: Answer = resolve({ method, target, headers }, view);
  return JSON.stringify([status, sent, body.kind, body.kind === 'object' ? body.object.key : '']);
}

test.each(Object.entries(ROWS) as [QuirkName, Row][])(
  '%s: each choice is another answer of the resolver',
  (name, row) => {
    const choices: readonly (string | number)[] = QUIRKS[name].choices;
    const answers = choices.map((choice) =>
      [row, ...(row.then ? [row.then] : [])]
        .map((each) => answerOf(each, { [name]: choice } as Partial<Quirks>))
        .join(' '),
    );
    expect(new Set(answers).size, answers.join('\n')).toBe(choices.length);
  },
);
