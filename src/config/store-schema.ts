/** The schema of the stores beside `here`. */
import * as yup from 'yup';
import { type Context, fail, failName, mapping, namedFaults, text } from './fields.js';

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
    options: yup
      .object()
      .default(undefined)
      .typeError('is a mapping: `name: value` lines')
      .meta({ explain: 'What such a module is given; never a secret.', json: { type: 'object' } }),
  },
  'A store beside `here`.',
).test('sense', (value, context) => {
  const given = (value ?? {}) as Record<string, unknown>;
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
