/** The schema of the stores beside `here`. */
import * as yup from 'yup';
import { parseBytes, SIZE_PATTERN } from '../core/words/counts.js';
import {
  WHERE_SECRETS_GO,
  type Context,
  duration,
  fail,
  failName,
  mapping,
  namedFaults,
  oneOf,
  oneOrMany,
  text,
} from './fields.js';

/** The stores that the config names, wherever in it a test stands. */
export function storeNames({ options }: Context): string[] {
  const stores = (options.context as { readonly stores?: unknown } | undefined)?.stores;
  return typeof stores === 'object' && stores !== null ? Object.keys(stores) : [];
}

export const storeSetting = mapping(
  {
    kind: text('a kind of store').meta({ explain: 'What kind of store it is: docs/stores.md lists them.' }),
    folder: text('a folder').meta({
      explain: 'Where a store on this machine lies, relative to this file.',
      default: '.fenestra/NAME',
    }),
    module: text('a path').meta({
      explain: 'A module of your own that makes the store, relative to this file.',
    }),
    auth: text('a web address')
      .test('no secret', (value, context) =>
        value?.includes('@')
          ? fail(context, `the address has a name or a key in it; ${WHERE_SECRETS_GO}`)
          : true,
      )
      .matches(/^https?:\/\/[^\s?#]+$/, 'is a web address such as https://store.example/v3')
      .meta({
        explain: 'Where to sign in to an OpenStack Swift: …/v3 is Keystone, …/auth/v1.0 version 1.',
        json: { type: 'string', format: 'uri', pattern: '^https?://[^\\s?#@]+$' },
      }),
    credentials: text('a file').meta({
      explain:
        'A file that its owner alone can read, with what to sign in with: lines such as USER=… and KEY=…, relative to this file.',
      default: 'the environment: FENESTRA_NAME_USER, FENESTRA_NAME_KEY…',
    }),
    region: text('a region').meta({
      explain: 'The region in the catalogue of services, where there are several.',
    }),
    interface: oneOf(
      ['public', 'internal', 'admin'] as const,
      'Which of the addresses in the catalogue is asked.',
    ).meta({ default: 'public' }),
    proxies: oneOrMany(
      text('a web address').matches(
        /^https?:\/\/[^\s/?#@]+\/?$/,
        'is an address such as https://store-2.example/',
      ),
      'Further addresses of the same store that remember by themselves what a bucket was: they are told of a change.',
    ),
    plainLoopback: yup
      .boolean()
      .strict()
      .typeError('is true or false')
      .meta({
        explain:
          'Whether a store that is signed in to by https may be sent its token in clear at a loopback address.',
        default: 'false',
        json: { type: 'boolean' },
      }),
    segments: text('a size')
      .test('size', (value, context) => {
        const bytes = value === undefined ? undefined : parseBytes(value);
        return value === undefined || (bytes !== undefined && bytes >= 1e6 && bytes <= 5e9)
          ? true
          : fail(context, `"${value}" is not a size from 1 MB to 5 GB`, '1 GB');
      })
      .meta({
        explain: 'Files above this size go to an OpenStack Swift in segments of it.',
        default: '1 GB',
        json: { type: 'string', pattern: SIZE_PATTERN },
      }),
    patience: duration(
      '90 seconds',
      'For how long an OpenStack Swift that says that it is busy (429, 503) is asked again.',
      '90 seconds',
    ),
    switch: oneOf(
      ['pages', 'folders'] as const,
      'How a release comes to be seen in an OpenStack Swift: page by page, or all pages of folders and the error document at once.',
    ).meta({ default: 'pages' }),
    options: yup
      .object()
      .default(undefined)
      .typeError('is a mapping: `name: value` lines')
      .meta({ explain: 'What such a module is given; never a secret.', json: { type: 'object' } }),
  },
  'A store beside `here`.',
).test('sense', (value, context) => {
  const given = (value ?? {}) as Record<string, unknown>;
  if (given['kind'] === 'swift' && given['auth'] === undefined)
    return fail(context, 'the store needs `auth`, where to sign in', 'auth: https://store.example/v3');
  return (
    given['kind'] !== undefined ||
    given['module'] !== undefined ||
    fail(context, 'the store has neither `kind` nor `module`', 'kind: embedded')
  );
});

export const stores = yup
  .object()
  .default(undefined)
  .typeError('is a mapping of names to stores')
  .test('stores', async (value, context) => {
    const errors = await namedFaults(value, storeSetting, context);
    if (value && Object.hasOwn(value, 'here'))
      errors.push(
        failName(
          context,
          '"here" is the embedded store, which is always there; `storeFolder` says where',
          undefined,
          'here',
        ),
      );
    return errors.length > 0 ? new yup.ValidationError(errors) : true;
  })
  .meta({ explain: 'Names for stores beside `here`, which is always there.' });
