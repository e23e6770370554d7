/** Where a part of an attribute's value is written, where the text has character references in its place. */
import { decodeHTMLAttribute } from 'entities';
import { NOWHERE, type Span } from './reading.js';

/** What the value has one character for, or two, and the text has several. */
const COMPOSED = /&(?:#[xX]?[0-9a-fA-F]+|[A-Za-z][A-Za-z0-9]*);?|\r\n/g;

/** An attribute's value as it is written, with its place in the text. */
export interface WrittenValue {
  readonly value: string;
  readonly written: string;
  /** Where it begins in the text. */
  readonly at: number;
}

/**
 * The place in the text of a part of a value.
 * @param from of the part in the value, in UTF-16 units
 * @returns NOWHERE where the part begins or ends inside of something composed
 */
export function placeWritten({ value, written, at }: WrittenValue, from: number, length: number): Span {
  if (written === value) return { at: at + from, length };
  let [inValue, inText] = [0, 0];
  let [begins, ends] = [-1, -1];
  /** Up to here value and text run side by side. */
  const pass = (plain: number): void => {
    if (from >= inValue && from <= inValue + plain) begins = inText + from - inValue;
    const end = from + length;
    if (end >= inValue && end <= inValue + plain) ends = inText + end - inValue;
    inValue += plain;
    inText += plain;
  };
  for (const match of written.matchAll(COMPOSED)) {
    pass(match.index - inText);
    inText += match[0].length;
    // What follows decides whether a name without its semicolon counts.
    const next = written.charAt(inText);
    const decoded = match[0] === '\r\n' ? '\n' : decodeHTMLAttribute(match[0] + next);
    inValue += decoded.length - (match[0] === '\r\n' ? 0 : next.length);
  }
  pass(written.length - inText);
  if (inValue !== value.length || begins < 0 || ends < begins) return NOWHERE;
  const span = { at: at + begins, length: ends - begins };
  return written.slice(begins, ends) === value.slice(from, from + length)
    ? span
    : { ...span, escaping: 'html' };
}
