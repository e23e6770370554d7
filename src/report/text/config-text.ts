/** The config for a terminal. */
import { countOf } from '../../core/words/counts.js';
import { columns, shorten, visible, type Paint } from './paint.js';

/** @param file as it was named */
export const formatConfigGood = (
  file: string,
  { destinations, rules }: { readonly destinations: number; readonly rules: number },
  paint: Paint,
): string =>
  `${paint.good('No fault')} in ${file}: ${countOf(destinations, 'destination')}, ${countOf(rules, 'rule')}.`;

export function formatInForce(
  file: string,
  settings: readonly {
    readonly name: string;
    readonly value: unknown;
    readonly from: string;
    readonly explain: string;
  }[],
  paint: Paint,
): string {
  const room = Math.max(20, paint.width - 96);
  const rows = settings.map(({ name, value, from, explain }) => [
    paint.place(visible(name)),
    visible(shorten(formatValue(value), Math.max(26, Math.min(40, room)))),
    from === 'default' ? paint.soft(from) : from,
    paint.soft(shorten(explain, Math.max(40, paint.width - 78))),
  ]);
  const head = ['setting', 'in force', 'from', 'meaning'].map(paint.soft);
  return `${paint.strong(file)}\n\n${columns([head, ...rows])}`;
}

const formatValue = (value: unknown): string =>
  typeof value === 'string'
    ? value
    : typeof value === 'number' || typeof value === 'boolean'
      ? String(value)
      : JSON.stringify(value);
