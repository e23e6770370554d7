/** A store that somebody else wrote: a module that makes one, by the published port. */
import { resolve } from 'node:path';
import { pathToFileURL } from 'node:url';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { StoreKind } from '../kind.js';
import type { Store, StoreModule } from '../port.js';

const METHODS = [
  'buckets',
  'bucket',
  'create',
  'changeAccess',
  'remove',
  'open',
  'lacks',
  'begin',
  'close',
] as const;
const PROMISES = ['instant', 'history', 'staging', 'policyByKey'] as const;

export const module: StoreKind = {
  explain: 'A module of your own that implements the port; `module` says which, `options` is handed to it.',
  chosenBy: 'module',
  isThere: () => true,
  async open({ name, folder, options }) {
    const path = resolve(folder, String(options['module']));
    const fail = (reason: string, cause?: unknown): never => {
      throw new FenestraError('STORE_MODULE', { name, path, reason }, cause);
    };
    let made: unknown;
    try {
      const loaded = (await import(pathToFileURL(path).href)) as { readonly default?: unknown };
      if (typeof loaded.default !== 'function') return fail('its default export is no function');
      const given = options['options'];
      made = await (loaded.default as StoreModule)({
        name,
        folder,
        options: typeof given === 'object' && given !== null ? (given as Record<string, unknown>) : {},
      });
    } catch (error) {
      if (error instanceof FenestraError) throw error;
      return fail(error instanceof Error ? error.message : String(error), error);
    }
    const store = made as Partial<Store> | null;
    if (typeof store !== 'object' || store === null) return fail('it made no store');
    const lacking = METHODS.find((method) => typeof store[method] !== 'function');
    if (lacking !== undefined) return fail(`its store has no ${lacking}()`);
    const vague = PROMISES.find((promise) => typeof store.guarantees?.[promise] !== 'boolean');
    if (vague !== undefined) return fail(`its store does not say whether it guarantees ${vague}`);
    if (store.guarantees?.history === true && !(store.releases && store.keepReleases))
      return fail('its store guarantees a history and has no releases() or keepReleases()');
    return store as Store;
  },
};
