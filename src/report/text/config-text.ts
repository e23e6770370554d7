/** The config for a terminal. */
import { countOf } from '../../core/words/counts.js';
import { columns, visible, type Paint } from './paint.js';

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
  const rows = settings.map(({ name, value, from, explain }) => [
    paint.place(visible(name)),
    visible(formatValue(value)),
    from === 'default' ? paint.soft(from) : from,
    paint.soft(explain),
  ]);
  const head = ['setting', 'in force', 'from', 'meaning'].map(paint.soft);
  return `${paint.strong(file)}\n\n${columns([head, ...rows], [], paint.width)}`;
}

const formatValue = (value: unknown): string =>
  typeof value === 'string'
    ? value
    : typeof value === 'number' || typeof value === 'boolean'
      ? String(value)
      : JSON.stringify(value);
