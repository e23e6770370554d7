/** Every setting in force, with where it comes from and one line of explanation. */
import { DEFAULT_QUIRKS, type Quirks } from '../core/hosting/quirks.js';
import { locate } from './locate.js';
import type { ParsedConfig } from './parsed-config.js';
import { budgetSchema, destinationSchema, ruleSchema, schema, storeSchema } from './schema.js';
import type { SettingInForce } from './config.js';

interface Described {
  readonly type: string;
  readonly optional?: boolean;
  readonly meta?: { readonly explain?: string; readonly default?: string };
  readonly fields?: Readonly<Record<string, Described>>;
}

interface Setting {
  readonly name: string;
  /** The steps to it in the raw config. */
  readonly path: readonly string[];
  readonly described: Described;
}

/** The settings in the order of the schema, one level of grouping deep. */
function settings(): Setting[] {
  const { fields } = schema.describe() as unknown as Described;
  return Object.entries(fields ?? {}).flatMap(([name, described]): Setting[] => {
    const inner = Object.entries(described.fields ?? {});
    return inner.length > 0
      ? inner.map(([below, each]) => ({ name: `${name}.${below}`, path: [name, below], described: each }))
      : [{ name, path: [name], described }];
  });
}

const defaultOf = ({ name, described }: Setting): string =>
  described.meta?.default ??
  (name.startsWith('quirks.')
    ? String(DEFAULT_QUIRKS[name.slice('quirks.'.length) as keyof Quirks])
    : 'none');

/** Every setting with its meaning and its default, for the docs: those of a destination and of a rule too. */
export function listSettings(): { name: string; explain: string; default: string }[] {
  const below = (prefix: string, of: { describe(): unknown }): Setting[] =>
    Object.entries((of.describe() as Described).fields ?? {}).flatMap(([name, described]) => {
      const inner = Object.entries(described.fields ?? {});
      if (inner.length === 0) return [{ name: `${prefix}.${name}`, path: [], described }];
      // What stands at the top too is told of there.
      const isAtTop = settings().some((setting) => setting.name.startsWith(`${name}.`));
      return isAtTop
        ? []
        : inner.map(([own, part]) => ({ name: `${prefix}.${name}.${own}`, path: [], described: part }));
    });
  const all = [
    ...settings(),
    ...below('stores.NAME', storeSchema),
    ...below('destinations.NAME', destinationSchema),
    ...below('assign[n]', ruleSchema),
    ...below('budgets[n]', budgetSchema),
  ];
  return all.map((setting) => ({
    name: setting.name,
    explain: setting.described.meta?.explain ?? '',
    default: setting.described.optional === false ? 'required' : defaultOf(setting),
  }));
}

/** Every setting with the value in force and the line that it comes from. */
export function listInForce({ raw, document, lines }: ParsedConfig): SettingInForce[] {
  return settings().map((setting) => {
    const { name, path, described } = setting;
    const value = path.reduce<unknown>(
      (at, step) => (at as Record<string, unknown> | null | undefined)?.[step],
      raw,
    );
    const given = value !== undefined && value !== null;
    return {
      name,
      value: given ? value : defaultOf(setting),
      from: given ? `line ${locate(document, lines, name, true).line}` : 'default',
      explain: described.meta?.explain ?? '',
    };
  });
}
