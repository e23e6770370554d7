/** `fenestra visit --json` beside a real browser. */
import type { VisitJson } from '../../src/report/json/visit-json.js';
import { fenestra } from './program.js';

export interface Browsed extends VisitJson {
  readonly browser: readonly {
    readonly kind: string;
    readonly after: number;
    readonly responses: readonly { readonly bytes: number; readonly url: string }[];
  }[];
  readonly differences: readonly { readonly url: string }[];
}

export async function visitAs<T extends VisitJson>(home: string, ...words: string[]): Promise<T> {
  const { out, err } = await fenestra(home, 'visit', '--json', ...words);
  if (out === '') throw new Error(err);
  return JSON.parse(out) as T;
}
