/** Settings that stand at the top and under a destination alike. */
import * as yup from 'yup';
import { QUIRKS, QUIRK_SETS } from '../core/hosting/quirks.js';
import { patternFault } from '../core/assign/pattern.js';
import { DURATION_PATTERN, parseDuration } from '../core/caching/duration.js';
import { FOLDERS, MOVED_AS, PRIVATE } from '../core/release/store-limits.js';
import {
  PATTERN_JSON,
  duration,
  fail,
  failName,
  mapping,
  oneOf,
  oneOrMany,
  pattern,
  quoteName,
  text,
} from './fields.js';

/** `visit/` as `/visit/`, `www.mill.example/x` as a web address. */
const targetMeant = (to: string): string | undefined =>
  /^(?:www\.|[\w-]+(?:\.[\w-]+)+\/)[^\s]*$/i.test(to)
    ? `https://${to}`
    : /^[\w.~-][^\s:]*$/.test(to)
      ? `/${to}`
      : undefined;

/** An address on this site, or a whole web address. */
const TARGET_JSON = '^(?:/(?![/\\\\])|https?://[^/\\s])\\S*$';

const movedTable = (explain: string) =>
  yup
    .object()
    .default(undefined)
    .typeError('is a mapping of addresses to targets')
    .test('addresses', (value, context) => {
      const errors: yup.ValidationError[] = [];
      for (const [from, to] of Object.entries((value ?? {}) as Record<string, unknown>)) {
        const at = quoteName(from);
        if (!from.startsWith('/'))
          errors.push(failName(context, `the address "${from}" does not start with a slash`, `/${from}`, at));
        if (/[?#]/.test(from))
          errors.push(
            failName(
              context,
              `the address "${from}" has a query or fragment, which plays no part`,
              from.replace(/[?#].*/, ''),
              at,
            ),
          );
        if (from.includes('*') && !/^[^*]*\/\*$/.test(from))
          errors.push(
            failName(
              context,
              `"${from}": a star stands only at the end, after a slash`,
              `${from.replace(/\*.*/, '').replace(/\/?$/, '')}/*`,
              at,
            ),
          );
        if (typeof to !== 'string' || !/^(?:\/|https?:\/\/[^/\s])[^\s\u0000-\u001f]*$|^\/$/.test(to))
          errors.push(
            fail(
              context,
              `the target of "${from}" is neither an address on this site (/…) nor a web address (https://…)`,
              typeof to === 'string' ? targetMeant(to) : undefined,
              at,
            ),
          );
        else if (/[^\x21-\x7e]/.test(to))
          errors.push(
            fail(
              context,
              `the target "${to}" has letters that an address writes percent-encoded`,
              encodeURI(to),
              at,
            ),
          );
        else if (/^\/[/\\]/.test(to) || to.includes('\\'))
          errors.push(
            fail(
              context,
              `the target "${to}" would be read as the address of another site`,
              `/${to.replace(/^[/\\]+/, '').replaceAll('\\', '/')}`,
              at,
            ),
          );
        else if (to.includes('*') && !/^(?:https?:\/\/[^/?#*]+)?\/[^?#*]*\*/.test(to))
          errors.push(
            fail(
              context,
              `the target "${to}" has its star where it could change the host: it stands only in the path, after its first slash`,
              undefined,
              at,
            ),
          );
        else if (to.split('*').length > 2 || (to.includes('*') && !from.endsWith('/*')))
          errors.push(fail(context, `the target "${to}" has a star that nothing stands for`, undefined, at));
      }
      return errors.length > 0 ? new yup.ValidationError(errors) : true;
    })
    .meta({
      explain,
      json: {
        type: 'object',
        propertyNames: { pattern: '^/' },
        additionalProperties: { type: 'string', pattern: TARGET_JSON },
      },
    });

/** The documents of a place, and those at the top. */
function documentsOf(context: yup.TestContext): readonly Readonly<Record<string, unknown>>[] {
  const top = (context.options.context ?? {}) as { readonly documents?: unknown };
  return [context.parent as unknown, top.documents].filter(
    (each): each is Readonly<Record<string, unknown>> => typeof each === 'object' && each !== null,
  );
}

const KEY_JSON = { type: 'string', pattern: '^[^/]' };

const appPath = () =>
  text('an address').test('address', (value, context) => {
    if (value === undefined) return true;
    if (/[?#]/.test(value))
      return fail(
        context,
        `the address "${value}" has a query or fragment, which plays no part`,
        value.replace(/[?#].*/, '') || '/**',
      );
    if (!value.startsWith('/'))
      return fail(context, `the address "${value}" does not start with a slash`, `/${value}`);
    if (value === '/') return fail(context, 'the root has the index document already', '/**');
    const wrong = patternFault(value.replace(/\/$/, ''));
    return wrong === undefined || fail(context, wrong.fault, wrong.becomes);
  });

export const documents = () =>
  mapping(
    {
      index: text('a file name')
        .test('name', (value, context) =>
          value?.includes('/')
            ? fail(
                context,
                'an index document is a name alone: it answers for every folder',
                value.split('/').pop(),
              )
            : true,
        )
        .meta({
          explain: 'The document that answers for a folder.',
          default: 'index.html',
          json: { type: 'string', pattern: '^[^/]+$' },
        }),
      error: text('a key')
        .test('key', (value, context) =>
          value?.startsWith('/')
            ? fail(context, 'a key has no leading slash', value.replace(/^\/+/, ''))
            : true,
        )
        .meta({ explain: 'The document that answers for a mistake.', default: 'none', json: KEY_JSON }),
      app: text('a key')
        .test('key', (value, context) => {
          if (value === undefined) return true;
          if (value.startsWith('/'))
            return fail(context, 'a key has no leading slash', value.replace(/^\/+/, ''));
          return documentsOf(context).some(({ appPaths }) => appPaths !== undefined)
            ? true
            : fail(
                context,
                'needs `appPaths`, the addresses that the application answers itself',
                `app: ${value}, appPaths: ["/orders/**"]`,
              );
        })
        .meta({
          explain: 'The page of an application that has one page for many addresses.',
          json: KEY_JSON,
          default: 'none',
        }),
      appPaths: oneOrMany(
        appPath(),
        'The addresses that the application answers itself, as patterns; a copy of its page lies at each that is none.',
        { type: 'string', pattern: '^/' },
      )
        .test('app', (value, context) =>
          value === undefined || documentsOf(context).some(({ app }) => app !== undefined)
            ? true
            : fail(context, 'needs `app`, the page that answers', 'app: index.html'),
        )
        .meta({ default: 'none' }),
    },
    'Which documents answer for a folder and for a mistake.',
  );

export const readable = () =>
  mapping(
    {
      keys: oneOrMany(pattern(), 'The keys that anyone may read.', PATTERN_JSON).meta({
        default: 'all but what looks secret',
      }),
      except: oneOrMany(pattern(), 'Keys among them that nobody may.', PATTERN_JSON),
    },
    'The public-read policy. Without it, everything but names that look secret.',
  );

/** @param words that may stand in its place */
export const moved = (words: readonly string[] = []) =>
  mapping(
    {
      permanently: movedTable('Addresses that moved for good (301).'),
      temporarily: movedTable('Addresses that moved for a while (302).'),
    },
    'Addresses that answer with a redirect.',
  ).meta({ words });

/** What is done about what a store cannot. */
export const instead = () => ({
  private: oneOf(
    PRIVATE,
    'What becomes of keys that nobody may read, where a store has no policy by key: publishing is refused, they are left out, or they go to a closed bucket beside it, NAME-private.',
  ).meta({ default: PRIVATE[0] }),
  movedAs: oneOf(
    MOVED_AS,
    'What becomes of moved addresses, where a store knows of none: publishing is refused, or small pages move the visitor on and say so. `moved: pages` in a destination is short for it.',
  ).meta({ default: MOVED_AS[0] }),
  folders: oneOf(
    FOLDERS,
    "What becomes of the addresses of folders, where a host looks for index documents at the root alone: they are left, or each folder's page is published at the folder's address too (`visit/` beside `visit/index.html`).",
  ).meta({ default: FOLDERS[0] }),
});

/** As a browser writes it: no path, no closing slash, no port that the scheme has anyway. */
function originMeant(value: string): string | undefined {
  if (value === 'everyone' || value === 'null') return undefined;
  if (!URL.canParse(value)) return undefined;
  const { origin } = new URL(value);
  return origin === 'null' ? undefined : origin;
}

const ORIGIN_JSON = { type: 'string', pattern: '^(?:everyone|https?://[a-z0-9.-]+(?::[0-9]+)?)$' };

export const sharedWith = () =>
  mapping(
    {
      origins: oneOrMany(
        text('an origin').test('origin', (value, context) => {
          if (value === undefined || value === 'everyone' || originMeant(value) === value) return true;
          const meant = ['*', 'all', 'any', 'public'].includes(value) ? 'everyone' : originMeant(value);
          return fail(context, `"${value}" is not an origin such as https://app.mill.example`, meant);
        }),
        'The sites whose pages may read it, as origins, or `everyone`.',
        ORIGIN_JSON,
      ).required('is missing: origins such as https://app.mill.example, or everyone'),
      expose: oneOrMany(
        text('the name of a header').matches(/^[\w-]+$/, 'is the name of a header such as ETag'),
        'Headers that their scripts may read beside those that they always may.',
      ),
      keptFor: duration('1 hour', 'For how long browsers remember what they were told beforehand.'),
    },
    'The other sites whose pages may read the bucket (CORS): fonts, modules, fetch, pictures for a canvas. Default: none.',
  ).meta({ short: { anyOf: [ORIGIN_JSON, { type: 'array', items: ORIGIN_JSON, minItems: 1 }] } });

export const quirks = () =>
  mapping(
    Object.fromEntries(
      Object.entries(QUIRKS).map(([name, { choices, explain }]) => [
        name,
        oneOf<string | number>(choices, explain),
      ]),
    ),
    'Points on which real hosts differ, and what the emulation does; the name of a set stands for all that it says.',
  )
    .typeError(`is a mapping, or the name of a set: ${Object.keys(QUIRK_SETS).join(', ')}`)
    .meta({ words: Object.keys(QUIRK_SETS) });

const HOST = /^[a-z0-9]([a-z0-9-]*[a-z0-9])?(\.[a-z0-9]([a-z0-9-]*[a-z0-9])?)+$/;

const HOST_JSON = { type: 'string', pattern: HOST.source };

/** The host of a whole address, in lower case. */
function hostMeant(value: string): string | undefined {
  const host = value
    .toLowerCase()
    .replace(/^[a-z]+:\/\//, '')
    .replace(/[/:?#].*/s, '');
  return HOST.test(host) ? host : undefined;
}

const hostName = () =>
  text('a host name')
    .test('host name', (value, context) =>
      value === undefined || HOST.test(value)
        ? true
        : fail(context, 'is a host name such as www.mill.example, in lower case', hostMeant(value)),
    )
    .meta({ json: HOST_JSON });

export const domains = () => oneOrMany(hostName(), 'Host names that the bucket answers to.', HOST_JSON);

/** What the names of a site lead through. */
export const naming = () => ({
  domains: domains(),
  movedHosts: oneOrMany(
    hostName(),
    'Host names that send their visitors on to the first of `domains` with 301, path and query kept.',
    HOST_JSON,
  ).test('domains', (value, context) => {
    const top = (context.options.context ?? {}) as { readonly domains?: unknown };
    const own = ((context.parent as { readonly domains?: unknown }).domains ?? top.domains) as
      string | readonly string[] | undefined;
    if (value === undefined || value.length === 0) return true;
    if (own === undefined)
      return fail(context, 'leads nowhere without `domains`', 'domains: www.mill.example');
    const both = value.find((name) => [own].flat().includes(name));
    return both === undefined || fail(context, `"${both}" is under domains too, where it shows the site`);
  }),
  nameServers: oneOrMany(hostName(), 'The name servers that are to answer for the domains.', HOST_JSON),
});

/** What stands before the bucket. */
export const front = () =>
  mapping(
    {
      https: yup
        .boolean()
        .typeError('is true or false')
        .meta({
          explain: 'Whether it ends TLS, so that the site is reached by https.',
          default: 'true',
          json: { type: 'boolean' },
        }),
      shared: yup
        .boolean()
        .typeError('is true or false')
        .meta({
          explain: 'Whether it keeps a cache for all visitors.',
          default: 'false',
          json: { type: 'boolean' },
        }),
      secureOnly: text('a duration')
        .test('time', (value, context) => {
          if (value === undefined) return true;
          const parsed = parseDuration(value);
          return 'seconds' in parsed ? true : fail(context, parsed.fault, parsed.becomes ?? '1 year');
        })
        .meta({
          explain:
            'For how long browsers are told to come by https alone (Strict-Transport-Security, RFC 6797).',
          default: 'not at all',
          json: { type: 'string', pattern: DURATION_PATTERN },
        }),
    },
    'What stands before the bucket, ends TLS and keeps a shared cache.',
  );

export const bucketHost = () =>
  hostName().meta({
    explain:
      'The host name under which the store serves the bucket, where `address` is one of the site: what records lead to.',
    default: 'the host of `address`',
  });
