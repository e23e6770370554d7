/** What a plain web server answers otherwise than a bucket, where it has nothing but the files and knows types by their endings. */
import { essence, parseMediaType, typeByName } from '../assign/media-type.js';
import { propertyOf } from '../assign/properties.js';
import { quirksOf } from '../hosting/memoized-settings.js';
import type { BucketSettings } from '../hosting/bucket-view.js';
import type { SiteObject } from '../site/site-object.js';

export interface PlainDifference {
  /** What is answered otherwise, as a phrase. */
  readonly what: string;
  /** Keys, addresses or hosts that it is so of, in order. */
  readonly of: readonly string[];
  /** What to tell the server, as a phrase. */
  readonly instead: string;
}

/**
 * @param objects what is laid out, in key order
 * @param hidden keys that nobody may read, which are left out
 */
export function listPlainDifferences(
  objects: readonly SiteObject[],
  hidden: readonly string[],
  settings: BucketSettings,
): PlainDifference[] {
  const { documents, moved, movedHosts, apps = [], sharing } = settings;
  const { unlabelledType } = quirksOf(settings);
  const types = new Map<string, string[]>();
  const found = {
    charset: [] as string[],
    cache: [] as string[],
    encoding: [] as string[],
    language: [] as string[],
    disposition: [] as string[],
  };
  for (const { key, headers } of objects) {
    const sent = headers['Content-Type'] ?? (unlabelledType === 'none' ? '' : unlabelledType);
    const known = typeByName(key);
    if (essence(sent) !== (known ?? '')) {
      const what = `${essence(sent) || 'no type'} in place of ${known ?? 'no type at all'}`;
      const keys = types.get(what);
      if (keys) keys.push(key);
      else types.set(what, [key]);
    } else if (parseMediaType(sent)?.parameters.has('charset')) found.charset.push(key);
    const properties = new Set(Object.keys(headers).map(propertyOf));
    for (const property of ['cache', 'encoding', 'language', 'disposition'] as const)
      if (properties.has(property)) found[property].push(key);
  }
  const all: PlainDifference[] = [
    ...[...types].map(([what, of]) => ({ what: 'another type', of, instead: `send ${what}` })),
    {
      what: 'no charset',
      of: found.charset,
      instead: 'send the charset; `bucket export` has it',
    },
    {
      what: 'no word on caching',
      of: found.cache,
      instead: 'send Cache-Control; `bucket export` has the values',
    },
    { what: 'not compressed', of: found.encoding, instead: 'let the server compress them' },
    { what: 'no language', of: found.language, instead: 'send Content-Language' },
    { what: 'shown, not saved', of: found.disposition, instead: 'send Content-Disposition' },
    {
      what: 'no redirect',
      of: [...Object.keys(moved.permanently), ...Object.keys(moved.temporarily)],
      instead: 'redirect them, 301 and 302',
    },
    {
      what: 'another host, no redirect',
      of: movedHosts?.hosts ?? [],
      instead: `redirect to ${movedHosts?.to ?? ''}`,
    },
    {
      what: 'no page of the app',
      of: apps.flatMap(({ paths }) => paths),
      instead: `answer with ${apps.map(({ page }) => page).join(', ')}`,
    },
    { what: '404, no refusal', of: hidden, instead: 'nothing: they are left out' },
    {
      what: "the server's own page for mistakes",
      of: documents.error === null ? [] : [documents.error],
      instead: 'name it as the page for 404',
    },
    {
      what: 'no page at folders',
      of: documents.index === 'index.html' ? [] : [documents.index],
      instead: 'name it as the index',
    },
    {
      what: 'not shared with other sites',
      of: sharing ? (sharing.origins === 'everyone' ? ['everyone'] : sharing.origins) : [],
      instead: 'send Access-Control-Allow-Origin',
    },
  ];
  return all.filter(({ of }) => of.length > 0);
}
