/** The page of one application, at the addresses that the application answers itself. */
import { typeByName } from '../assign/media-type.js';
import { parsePattern } from '../assign/pattern.js';
import { fileName } from '../site/key.js';
import type { ReadPolicy } from '../access/read-policy.js';
import type { Answer, Recorder, WebRequest } from './answer.js';
import type { AppSetting, BucketSettings, BucketView } from './bucket-view.js';
import type { Quirks } from './quirks.js';
import { resolveObject } from './representation.js';

/** Whether an address names a file by its ending: a script that is missing is never answered with a page. */
const namesFile = (key: string): boolean => typeByName(fileName(key)) !== undefined;

/** The application whose address this is. @param key as the address names it, with or without a closing slash */
export function appOf(settings: BucketSettings, key: string): AppSetting | undefined {
  if (!settings.apps || key === '' || namesFile(key)) return undefined;
  const plain = key.replace(/\/$/, '');
  return settings.apps.find(({ paths }) => paths.some((path) => covers(path, plain)));
}

/** `/orders/**` covers `/orders` too: that is where its list stands. */
function covers(path: string, key: string): boolean {
  const written = path.replace(/\/$/, '');
  const folder = written.replace(/\/\*\*$/, '');
  return parsePattern(written)(key) || (folder !== '' && folder !== written && parsePattern(folder)(key));
}

/** The app's page for an address of its own; undefined where the host knows of none. */
export function resolveApp(
  request: WebRequest,
  bucket: BucketView,
  key: string,
  quirks: Quirks,
  policy: ReadPolicy,
  trace?: Recorder,
): Answer | undefined {
  const app = appOf(bucket.settings, key);
  if (!app) return undefined;
  if (quirks.appPages === 'error-document') {
    trace?.note(
      'app',
      'not known',
      'this host has one error document for everything, and no addresses of apps',
    );
    return undefined;
  }
  const page = policy.isReadable(app.page) ? bucket.find(app.page) : undefined;
  trace?.note(
    'app',
    page ? app.page : 'not served',
    page ? 'an address under documents.appPaths' : `${app.page} was never published, or nobody may read it`,
  );
  if (!page) return undefined;
  const status = quirks.appPages === 'page' ? 200 : quirks.missingKey;
  const because = `${app.page} answers for /${key}, an address of the app`;
  return { ...resolveObject(request, page, status, 'app', quirks, trace), key, because };
}

/** What a host that knows one error document alone shows for mistakes: the app's page, where nothing else is named. */
export const errorKey = ({ documents, apps }: Pick<BucketSettings, 'documents' | 'apps'>): string | null =>
  documents.error ?? apps?.[0]?.page ?? null;

const isPattern = (path: string): boolean => /[*?[\]{}]/.test(path);

/** Addresses without a pattern: a copy of the page can lie there. */
export const exactPaths = ({ paths }: AppSetting): string[] => paths.filter((path) => !isPattern(path));

/** Addresses that stand for many, which the host itself has to answer. */
export const patternPaths = ({ paths }: AppSetting): string[] => paths.filter(isPattern);

/** The key of the copy that lies at an address. @param index the name of index documents */
export const copyKey = (path: string, index: string): string =>
  `${path.replace(/^\/|\/$/g, '').normalize('NFC')}/${index}`;

/** Whether an object is a copy of an app's page, which is spoken of where the page itself is. */
export function isAppCopy({ settings, find }: Pick<BucketView, 'settings' | 'find'>, key: string): boolean {
  const { apps, documents } = settings;
  if (!apps || !key.endsWith(`/${documents.index}`)) return false;
  return apps.some(
    (app) =>
      key !== app.page &&
      exactPaths(app).some((path) => copyKey(path, documents.index) === key) &&
      find(key)?.digest === find(app.page)?.digest,
  );
}
