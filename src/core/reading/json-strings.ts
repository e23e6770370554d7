/** Where the strings of a JSON text stand. The text has been parsed before, so that it is known to be JSON. */
import type { Span } from './reading.js';

export interface JsonString extends Span {
  /** Names and numbers that lead to it from the top. */
  readonly path: readonly (string | number)[];
  /** Whether it is a name and not a value. */
  readonly isName: boolean;
  readonly value: string;
}

/** What stands deeper is no part of any form that is read here. */
const MAX_DEEP = 8;
/** A longer string is no address. */
const MAX_LONG = 8192;

interface Level {
  readonly isList: boolean;
  /** The name or number of the value at hand. */
  step: string | number;
  expectsName: boolean;
}

export function* listJsonStrings(text: string): Generator<JsonString> {
  const levels: Level[] = [];
  for (let at = 0; at < text.length; at++) {
    const character = text[at];
    const level = levels.at(-1);
    if (character === '{' || character === '[')
      levels.push({
        isList: character === '[',
        step: character === '[' ? 0 : '',
        expectsName: character === '{',
      });
    else if (character === '}' || character === ']') levels.pop();
    else if (character === ',' && level) {
      if (level.isList) level.step = Number(level.step) + 1;
      else level.expectsName = true;
    } else if (character === '"') {
      const end = endOfString(text, at + 1);
      const isName = level?.expectsName === true && !level.isList;
      if (end - at <= MAX_LONG && levels.length <= MAX_DEEP) {
        const written = text.slice(at + 1, end);
        const isPlain = !written.includes('\\');
        const value = isPlain ? written : (JSON.parse(`"${written}"`) as string);
        if (isName) level.step = value;
        yield {
          path: levels.map(({ step }) => step),
          isName,
          value,
          at: at + 1,
          length: written.length,
          ...(isPlain ? {} : { escaping: 'json' }),
        };
      }
      if (isName) level.expectsName = false;
      at = end;
    }
  }
}

/** Where a string ends whose first character is given. */
function endOfString(text: string, from: number): number {
  for (let at = from; ; at++) {
    at = text.indexOf('"', at);
    if (at < 0) return text.length;
    let escapes = at;
    while (escapes > from && text[escapes - 1] === '\\') escapes--;
    if ((at - escapes) % 2 === 0) return at;
  }
}
