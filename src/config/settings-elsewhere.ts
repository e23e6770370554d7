/** Names of settings that people bring from elsewhere, and ours for the same. They lead there in a message; none is another name. */
import { nearestWord } from '../core/words/nearest-word.js';

const SETTINGS_ELSEWHERE: ReadonlyMap<string, readonly string[]> = new Map(
  Object.entries({
    to: [
      'match',
      'matches',
      'path',
      'paths',
      'glob',
      'files',
      'file',
      'key',
      'keys',
      'pattern',
      'source',
      'include',
    ],
    cache: ['headers', 'header', 'cachecontrol', 'maxage', 'ttl', 'expires', 'caching', 'fresh', 'keep'],
    contentType: ['mime', 'mimetype', 'contenttype', 'mediatype'],
    encoding: ['gzip', 'compress', 'compression', 'contentencoding'],
    language: ['lang', 'contentlanguage', 'locale'],
    disposition: ['download', 'filename', 'contentdisposition'],
    assign: ['rules', 'headers', 'metadata', 'overrides', 'files'],
    otherwise: ['default', 'defaults', 'cache', 'fallback'],
    site: [
      'folder',
      'directory',
      'dir',
      'root',
      'dist',
      'output',
      'build',
      'source',
      'src',
      'public',
      'publish',
    ],
    destinations: ['targets', 'target', 'environments', 'stages', 'remotes', 'buckets', 'deploy', 'hosts'],
    documents: ['pages', 'website', 'index', 'error', 'errors', 'indexdocument', 'errordocument'],
    index: ['indexdocument', 'main', 'home', 'indexpage', 'suffix'],
    error: ['errordocument', 'notfound', 'errorpage', 'fallback'],
    permanently: ['permanent', '301', '308'],
    temporarily: ['temporary', '302', '303', '307'],
    bytes: ['size', 'weight', 'kilobytes'],
    requests: ['count', 'number', 'files'],
    app: ['spa', 'application', 'singlepage', 'history', 'rewrite'],
    appPaths: ['routes', 'apppath', 'approutes', 'paths'],
    moved: ['redirects', 'redirect', 'rewrites', 'aliases', 'moves'],
    readable: ['public', 'acl', 'policy', 'access', 'read'],
    sharedWith: ['cors', 'crossorigin', 'alloworigin', 'allowedorigins', 'accesscontrol', 'sharing'],
    origins: ['origin', 'allow', 'allowed', 'alloworigin', 'allowedorigins', 'sites', 'hosts'],
    expose: ['exposeheaders', 'exposedheaders', 'headers'],
    keptFor: ['maxage', 'maxageseconds', 'ttl', 'cache'],
    except: ['exclude', 'ignore', 'private', 'not', 'unless'],
    bucket: ['name', 'container', 'bucketname'],
    store: ['provider', 'type', 'kind', 'backend', 'remote'],
    under: ['prefix', 'subfolder', 'base', 'basepath', 'path'],
    address: ['url', 'baseurl', 'origin', 'publicurl', 'endpoint'],
    domains: ['domain', 'hostnames', 'cname', 'hosts', 'aliases'],
  } satisfies Record<string, readonly string[]>),
);

/**
 * The setting that somebody meant, of those that may stand there.
 * @returns undefined where nothing is near; the setting with its value where only the blank after its colon is missing
 */
export function settingMeant(name: string, settings: readonly string[]): string | undefined {
  const [, before = '', value = ''] = /^(\w+):(.+)$/s.exec(name) ?? [];
  if (settings.includes(before)) return `${before}: ${value}`;
  const plain = name.toLowerCase().replace(/[^a-z0-9]/g, '');
  return (
    settings.find((ours) => ours.toLowerCase() === plain) ??
    settingElsewhere(name, settings) ??
    nearestWord(name, settings)
  );
}

/** The setting that a name from elsewhere leads to, of those that may stand there. */
export function settingElsewhere(name: string, settings: readonly string[]): string | undefined {
  const plain = name.toLowerCase().replace(/[^a-z0-9]/g, '');
  return settings.find((ours) => SETTINGS_ELSEWHERE.get(ours)?.includes(plain) === true);
}

const SECRET =
  /^(?:(?:user|access|secret|api|auth|private)[_-]?)*(?:pass(?:word|wd|phrase)?|secret|token|key|credential|user(?:name)?|login|keyid|keyfile)s?$/i;

/** Whether a name is that of something to sign in with. */
export const isSecretName = (name: string): boolean => SECRET.test(name);
