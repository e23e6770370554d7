/** Every setting in force, with where it comes from and one line of explanation. */
import { locate } from './locate.js';
import type { ParsedConfig } from './load.js';
import { schema } from './schema.js';
import type { SettingInForce } from './shape.js';

interface Described {
  readonly type: string;
  readonly meta?: { readonly explain?: string; readonly default?: string };
  readonly fields?: Readonly<Record<string, Described>>;
}

/** Lists the settings in the order of the schema, one level of grouping deep. */
export function listInForce({ raw, document, lines }: ParsedConfig): SettingInForce[] {
  const list: SettingInForce[] = [];
  const add = (name: string, value: unknown, described: Described): void => {
    const given = value !== undefined && value !== null;
    list.push({
      name,
      value: given ? value : (described.meta?.default ?? 'none'),
      from: given ? `line ${locate(document, lines, name, true).line}` : 'default',
      explain: described.meta?.explain ?? '',
    });
  };
  const { fields } = schema.describe() as unknown as Described;
  for (const [name, described] of Object.entries(fields ?? {})) {
    const value = raw[name];
    const inner = described.fields && Object.keys(described.fields).length > 0 ? described.fields : undefined;
    if (!inner) add(name, value, described);
    else
      for (const [below, each] of Object.entries(inner))
        add(`${name}.${below}`, (value as Record<string, unknown> | null | undefined)?.[below], each);
  }
  return list;
}
