/** A site in a subfolder of its bucket: what it is called there, and what of the bucket is its own. */
import type { ReadableSetting } from '../access/read-policy.js';
import { FenestraError } from '../errors/catalogue.js';
import type { BucketSettings, MovedSetting } from '../hosting/bucket-view.js';
import type { VersionedSetting } from '../versioning/versionable.js';

/** A pattern of the site as one of the bucket. @param under with its closing slash */
export function patternUnder(pattern: string, under: string): string {
  if (pattern === '**' || pattern === '*') return `${under}**`;
  if (!pattern.includes('/')) return `${under}**/${pattern}`;
  return under + pattern.replace(/^\//, '');
}

const patternsUnder = (patterns: readonly string[], under: string): string[] =>
  patterns.map((pattern) => patternUnder(pattern, under));

/** The settings of a site as those of its part of a bucket. */
export function settingsUnder(settings: BucketSettings, under: string): BucketSettings {
  const { documents, readable, moved } = settings;
  return {
    ...settings,
    documents: { ...documents, error: documents.error === null ? null : under + documents.error },
    readable: readable && {
      keys: patternsUnder(readable.keys, under),
      except: patternsUnder(readable.except, under),
    },
    moved: {
      permanently: movedUnder(moved.permanently, under),
      temporarily: movedUnder(moved.temporarily, under),
    },
    ...(settings.apps
      ? {
          apps: settings.apps.map(({ page, paths }) => ({
            page: under + page,
            paths: paths.map((path) => `/${under}${path.slice(1)}`),
          })),
        }
      : {}),
    sites: [under],
  };
}

/** Addresses of the site, and targets on it. */
const movedUnder = (table: MovedSetting['permanently'], under: string): Record<string, string> =>
  Object.fromEntries(
    Object.entries(table).map(([from, to]) => [
      `/${under}${from.slice(1)}`,
      to.startsWith('/') ? `/${under}${to.slice(1)}` : to,
    ]),
  );

export const versionedUnder = (setting: VersionedSetting, under: string): VersionedSetting => ({
  ...setting,
  patterns: patternsUnder(setting.patterns, under),
  keepPlain: patternsUnder(setting.keepPlain, under),
});

/**
 * Whether a key is of the site's own part of a bucket: below its own folder, or outside of those of others.
 * Undefined where the bucket is all its own.
 */
export function ownPart(
  under: string | undefined,
  { sites = [] }: Pick<BucketSettings, 'sites'>,
): ((key: string) => boolean) | undefined {
  const others = sites.filter((each) => each !== under && each.startsWith(under ?? ''));
  if (under === undefined && others.length === 0) return undefined;
  return (key) => key.startsWith(under ?? '') && !others.some((each) => key.startsWith(each));
}

/**
 * The settings of a bucket that several sites share, once one of them is published: its own beside those of the others.
 * @throws FenestraError SITES_DISAGREE
 */
export function shareSettings(
  bucket: string,
  before: BucketSettings,
  own: BucketSettings,
  under: string | undefined,
): BucketSettings {
  const isOwn = ownPart(under, before) ?? (() => true);
  if (before.documents.index !== own.documents.index)
    throw disagree(
      bucket,
      `documents.index is ${before.documents.index} for one and ${own.documents.index} for another`,
    );
  const isOwnPath = (path: string): boolean => isOwn(path.slice(1).replace(/\*$/, ''));
  const others = (table: MovedSetting['permanently']): Record<string, string> =>
    Object.fromEntries(Object.entries(table).filter(([from]) => !isOwnPath(from)));
  const theirError = before.documents.error !== null && !isOwn(before.documents.error);
  // The site at the root answers for mistakes everywhere, where there is one.
  const error = theirError && (under !== undefined || own.documents.error === null) ? before : own;
  return {
    ...own,
    documents: { ...own.documents, error: error.documents.error },
    readable: shareReadable(bucket, before.readable, own.readable, isOwn),
    moved: {
      permanently: { ...others(before.moved.permanently), ...own.moved.permanently },
      temporarily: { ...others(before.moved.temporarily), ...own.moved.temporarily },
    },
    domains: [...new Set([...before.domains, ...own.domains])],
    ...shareMovedHosts(before, own),
    ...shareApps(before.apps, own.apps, isOwn),
    // One bucket is shared in one way: whoever says how, says it for all.
    ...((own.sharing ?? before.sharing) ? { sharing: own.sharing ?? before.sharing } : {}),
    ...(before.versioned ? { versioned: true as const } : {}),
    sites: [...new Set([...(before.sites ?? []), ...(own.sites ?? [])])].sort(),
  };
}

const shareApps = (
  before: BucketSettings['apps'] = [],
  own: BucketSettings['apps'] = [],
  isOwn: (key: string) => boolean,
): Pick<BucketSettings, 'apps'> => {
  const apps = [...own, ...before.filter(({ page }) => !isOwn(page))];
  return apps.length === 0 ? {} : { apps };
};

/** The first site that has some says where they lead. */
const shareMovedHosts = (before: BucketSettings, own: BucketSettings): Pick<BucketSettings, 'movedHosts'> => {
  const [first, second] = [before.movedHosts, own.movedHosts];
  const only = second ?? first;
  if (!first || !second) return only ? { movedHosts: only } : {};
  return { movedHosts: { hosts: [...new Set([...first.hosts, ...second.hosts])], to: second.to } };
};

/** A pattern that is anchored below a folder is of that folder; any other is of the site at the root. */
function shareReadable(
  bucket: string,
  before: ReadableSetting,
  own: ReadableSetting,
  isOwn: (key: string) => boolean,
): ReadableSetting {
  if (before === null && own === null) return null;
  if (before === null || own === null)
    throw disagree(bucket, 'one of them says what is readable, and another leaves it to the default');
  const join = (name: 'keys' | 'except'): string[] =>
    [...new Set([...before[name].filter((pattern) => !isOwn(pattern)), ...own[name]])].sort();
  return { keys: join('keys'), except: join('except') };
}

const disagree = (bucket: string, what: string): FenestraError =>
  new FenestraError('SITES_DISAGREE', { bucket, what });

/** Where the public reads a site that lies there. @param address of the bucket, with a closing slash */
export const addressUnder = (address: string, under: string | undefined): string => address + (under ?? '');
