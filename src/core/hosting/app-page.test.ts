import fc from 'fast-check';
import { expect, it, test } from 'vitest';
import { appOf, errorKey } from './app-page.js';
import { NEW_BUCKET_SETTINGS, type BucketSettings, type BucketView } from './bucket-view.js';
import { lookUpIn } from './find-in.js';
import type { Quirks } from './quirks.js';
import { resolve } from './resolve.js';

const settingsOf = (paths: readonly string[], more: Partial<BucketSettings> = {}): BucketSettings => ({
  ...NEW_BUCKET_SETTINGS,
  apps: [{ page: 'index.html', paths }],
  ...more,
});

test.each([
  ['/orders/**', 'orders/12', true],
  ['/orders/**', 'orders/12/lines/', true],
  ['/orders/**', 'orders', true],
  ['/orders/**', 'orders/', true],
  ['/orders/**', 'ordersheet', false],
  ['/orders/**', 'orders/app.js', false],
  ['/orders/**', 'orders/12/owl.PNG', false],
  ['/orders/**', 'orders/old.html', false],
  ['/orders/**', 'orders/12.5', true],
  ['/orders/**', 'orders/jane.doe', true],
  ['/orders/*', 'orders/12', true],
  ['/orders/*', 'orders/12/lines', false],
  ['/orders/*', 'orders', false],
  ['/about', 'about', true],
  ['/about', 'about/', true],
  ['/about', 'about/us', false],
  ['/about', 'shop/about', false],
  ['/**', 'whatever/there/is', true],
  ['/**', 'main.css', false],
  ['/{orders,bills}/**', 'bills/3', true],
  ['/héron/**', 'héron/1', true],
])('%s answers %s: %s', (path, key, answered) => {
  expect(appOf(settingsOf([path]), key) !== undefined).toBe(answered);
});

it('takes the place of an error document where a host has one for everything', () => {
  const app = settingsOf(['/**']);
  expect(errorKey(app)).toBe('index.html');
  expect(errorKey({ ...app, documents: { index: 'index.html', error: 'no.html' } })).toBe('no.html');
  expect(errorKey(NEW_BUCKET_SETTINGS)).toBeNull();
});

const SEGMENTS = ['orders', 'about', 'us', '12', 'a.b', 'lines', 'ö'];
const ENDINGS = ['.js', '.css', '.png', '.html', '.woff2', '.json', '.map'];
const KEYS = ['index.html', 'app.js', 'orders/list.html', 'not-found.html'];
const address = fc
  .tuple(fc.array(fc.constantFrom(...SEGMENTS), { minLength: 1, maxLength: 4 }), fc.boolean())
  .map(([parts, slash]) => `/${parts.join('/')}${slash ? '/' : ''}`);
const pattern = fc.oneof(address, fc.constantFrom('/**', '/orders/**', '/orders/*', '/*/us', '/about/**'));
const quirks: fc.Arbitrary<Partial<Quirks>> = fc.record(
  {
    appPages: fc.constantFrom('status-of-missing', 'page'),
    missingKey: fc.constantFrom(404, 403),
    folderWithoutSlash: fc.constantFrom('redirect', 'index', 'missing'),
    indexDocuments: fc.constantFrom('every-folder', 'root'),
  },
  { requiredKeys: [] },
);

it('never answers for a file, never hides an object, and gives the page or nothing of it', () => {
  fc.assert(
    fc.property(
      fc.uniqueArray(pattern, { minLength: 1, maxLength: 4 }),
      address,
      fc.option(fc.constantFrom(...ENDINGS), { nil: undefined }),
      fc.constantFrom(null, 'not-found.html'),
      quirks,
      (paths, path, ending, error, chosen) => {
        const objects = KEYS.map((key, at) => ({
          key,
          size: 100,
          digest: String(at).repeat(64),
          since: 1000,
          headers: { 'Content-Type': 'text/html' },
        })).sort((a, b) => (a.key < b.key ? -1 : 1));
        const view: BucketView = {
          name: 'mill',
          access: 'open',
          release: 1,
          settings: settingsOf(paths, {
            quirks: chosen,
            documents: { index: 'index.html', error },
            moved: { permanently: { '/us': '/about' }, temporarily: {} },
          }),
          ...lookUpIn(objects),
        };
        const without = { ...view, settings: { ...view.settings, apps: [] } };
        const target = encodeURI(ending === undefined ? path : path.replace(/\/?$/, ending));
        const ask = (of: BucketView) => resolve({ method: 'GET', target, headers: {} }, of);
        const [answer, plain] = [ask(view), ask(without)];
        // What an oracle by hand says is the app's: no file by its ending, and one of its patterns.
        const plainPath = decodeURI(target).replace(/\/$/, '');
        const isApps =
          ending === undefined &&
          paths.some((each) => {
            const words = each.replace(/\/$/, '').split('/');
            const asked = plainPath.split('/');
            const open = words.at(-1) === '**';
            const fixed = open ? words.slice(0, -1) : words;
            return (
              (open ? asked.length >= fixed.length : asked.length === fixed.length) &&
              fixed.every((word, at) => word === '*' || word === asked[at])
            );
          });
        const isMissing = plain.reason === 'missing' || plain.reason === 'error-document';
        if (!isMissing || !isApps) expect(answer).toEqual(plain);
        else
          expect([
            answer.status,
            answer.reason,
            answer.body.kind === 'object' && answer.body.object.key,
          ]).toEqual([chosen.appPages === 'page' ? 200 : (chosen.missingKey ?? 404), 'app', 'index.html']);
      },
    ),
    { numRuns: 3000 },
  );
});
