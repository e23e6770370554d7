import { expect, test } from 'vitest';
import { describeFix } from '../../report/text/fix-text.js';
import { headersToRecord, type Reason } from './answer.js';
import { NEW_BUCKET_SETTINGS, type BucketSettings, type BucketView } from './bucket-view.js';
import { decideFix, type DiagnosisInput } from './diagnose.js';
import { resolve } from './resolve.js';

const KEYS = ['film.mp4', 'index.html', 'not-found.html', 'visit/index.html', 'visit/map.svg'];
const SETTINGS: BucketSettings = {
  ...NEW_BUCKET_SETTINGS,
  documents: { index: 'index.html', error: 'not-found.html' },
  readable: { keys: ['**'], except: ['drafts/**'] },
  moved: { permanently: { '/old': '/visit/' }, temporarily: {} },
};

interface Asked {
  readonly target: string;
  readonly settings?: Partial<BucketSettings>;
  readonly access?: 'closed';
  readonly method?: string;
  readonly headers?: Readonly<Record<string, string>>;
  readonly around?: Partial<DiagnosisInput>;
}

function fixOf({ target, settings = {}, access, method = 'GET', headers = {}, around = {} }: Asked) {
  const all = { ...SETTINGS, ...settings };
  const view: BucketView = {
    name: 'mill',
    access: access ?? 'open',
    release: 6,
    settings: all,
    find: (key) =>
      KEYS.includes(key)
        ? { key, size: 4, digest: 'd'.repeat(64), since: 0, headers: { 'Content-Type': 'text/html' } }
        : undefined,
  };
  const answer = resolve({ method, target, headers }, view);
  const fix = decideFix(answer, {
    bucket: 'mill',
    settings: all,
    keys: () => KEYS,
    has: (key) => KEYS.includes(key),
    ...around,
  });
  return { fix, reason: answer.reason, headers: headersToRecord(answer.headers) };
}

const except = (keys: string[]): Partial<BucketSettings> => ({ readable: { keys, except: [] } });

test.each<[Asked, Reason, object | undefined, RegExp]>([
  [{ target: '/' }, 'index', undefined, /^$/],
  [
    { target: '/', access: 'closed' },
    'closed',
    { code: 'open-bucket', bucket: 'mill' },
    /access open --sure mill$/,
  ],
  [
    { target: '/drafts/plan.html' },
    'unreadable',
    { code: 'narrow-except', patterns: ['drafts/**'] },
    /take "drafts\/\*\*" out of readable\.except/,
  ],
  [
    { target: '/server.pem', settings: { readable: null } },
    'unreadable',
    { code: 'allow-secret-name' },
    /looks secret/,
  ],
  [
    { target: '/index.html', settings: except(['index.html ']) },
    'unreadable',
    { code: 'trim-pattern', pattern: 'index.html ' },
    /white space.*\["index\.html"\]/,
  ],
  [
    { target: '/visit/', settings: except(['mill/**']) },
    'unreadable',
    { code: 'pattern-names-bucket', pattern: 'mill/**', becomes: '**' },
    /names the bucket.*"\*\*"/,
  ],
  [
    { target: '/visit/', settings: except(['visit']) },
    'unreadable',
    { code: 'pattern-names-folder', becomes: 'visit/**' },
    /names the folder.*"visit\/\*\*"/,
  ],
  [
    { target: '/visit/', settings: except(['*.css']) },
    'unreadable',
    { code: 'cover-key', pattern: 'visit/**' },
    /add "visit\/\*\*"/,
  ],
  [
    { target: '/film.mp4', settings: except(['*.css']) },
    'unreadable',
    { code: 'cover-key', pattern: 'film.mp4' },
    /add "film\.mp4"/,
  ],
  [{ target: '/visit' }, 'folder', { code: 'closing-slash', key: 'visit' }, /\/visit\/$/],
  [{ target: '/old' }, 'moved', { code: 'new-address' }, /new address/],
  [{ target: '/', method: 'POST' }, 'method', { code: 'only-reading' }, /GET or HEAD/],
  [{ target: '/%zz' }, 'malformed', { code: 'percent-encode' }, /percent-encode/],
  [{ target: `/${'x'.repeat(9000)}` }, 'too-long', { code: 'shorten-address' }, /shorten/],
  [
    { target: '/', headers: { 'if-match': '"x"' } },
    'precondition',
    { code: 'drop-condition' },
    /without the condition/,
  ],
  [
    { target: '/', headers: { range: 'bytes=90-99' } },
    'unsatisfiable',
    { code: 'ask-existing-bytes' },
    /bytes that the object has/,
  ],
  [
    { target: '/Index.html' },
    'error-document',
    { code: 'ask-for', key: 'index.html', because: expect.stringContaining('case') as string },
    /\/index\.html$/,
  ],
  [
    { target: '/not-found' },
    'error-document',
    { code: 'ask-for', key: 'not-found.html', because: expect.stringContaining('ending') as string },
    /\/not-found\.html$/,
  ],
  [
    { target: '/film.webm' },
    'error-document',
    { code: 'ask-for', key: 'film.mp4', because: expect.stringContaining('extension') as string },
    /\/film\.mp4$/,
  ],
  [
    { target: '/fim.mp4' },
    'error-document',
    { code: 'near-key', key: 'film.mp4' },
    /did you mean \/film\.mp4/,
  ],
  [
    { target: '/new.html', around: { inSite: (key) => key === 'new.html' } },
    'error-document',
    { code: 'publish-key', key: 'new.html' },
    /never published: fenestra publish/,
  ],
  [
    { target: '/gone-for-good', around: { removedIn: 5 } },
    'error-document',
    { code: 'was-removed', release: 5 },
    /until release 4 and was removed in release 5/,
  ],
  [
    { target: '/visit/', settings: { documents: { index: 'home.html', error: null } } },
    'missing',
    { code: 'name-index-document', index: 'home.html', found: 'index.html' },
    /no home\.html here, and there is index\.html: documents: \{ index: index\.html \}/,
  ],
  [
    { target: '/film/', settings: { documents: { index: 'index.htm', error: null } } },
    'missing',
    { code: 'name-error-document' },
    /documents\.error/,
  ],
  [
    { target: '/a.html', around: { release: 0 } },
    'error-document',
    { code: 'publish-first' },
    /nothing is published yet: fenestra publish$/,
  ],
  [
    { target: '/nothing-like-it' },
    'error-document',
    { code: 'correct-address' },
    /publish an object under this key/,
  ],
  [
    { target: '/nothing-like-it', settings: { documents: { index: 'index.html', error: null } } },
    'missing',
    { code: 'name-error-document' },
    /documents\.error/,
  ],
])('%j is %s, and the cure is %j', (asked, reason, fix, words) => {
  const got = fixOf(asked);
  expect([got.reason, got.fix]).toEqual([reason, fix]);
  expect(got.fix ? describeFix(got.fix) : '').toMatch(words);
});
