/**
 * Pages by the rules of XML, read as HTML once each element that is closed in its start tag has an end tag of its own.
 * Places are given as they are in the text itself.
 */
import type { Reading, Span } from '../reading.js';

const SELF_CLOSED =
  /<(a|audio|button|canvas|div|h[1-6]|iframe|li|object|p|script|select|span|style|td|textarea|title|ul|video)(\s[^<>]*)?\/>/g;
const IS_XHTML = /^\ufeff?<\?xml|<html\s[^<>]*xmlns\s*=\s*["']http:\/\/www\.w3\.org\/1999\/xhtml["']/i;
/** The root element begins before this, in UTF-16 units. */
const MAX_PROLOG = 4096;

/** Whether a text says of itself that it is XML. */
export const isXhtml = (text: string): boolean => IS_XHTML.test(text.slice(0, MAX_PROLOG));

/** @param read reads a text as HTML */
export function readXhtml(text: string, read: (html: string) => Reading): Reading {
  const { html, inserted } = closeElements(text);
  const reading = read(html);
  return inserted.length === 0 ? reading : moveBack(reading, inserted);
}

/** Each page as HTML, on the lines on which it is written. */
export const asHtml = (text: string): string => (isXhtml(text) ? closeElements(text).html : text);

function closeElements(text: string): { readonly html: string; readonly inserted: Inserted } {
  /** Where end tags were put in, in the text that is read, and how much longer it is behind each. */
  const inserted: { readonly at: number; readonly shift: number }[] = [];
  let shift = 0;
  const html = text.replace(SELF_CLOSED, (match, name: string, attributes = '', at: number) => {
    const opened = `<${name}${String(attributes)}>`;
    const closed = `${opened}</${name}>`;
    const from = at + shift + opened.length;
    shift += closed.length - match.length;
    inserted.push({ at: from, shift });
    return closed;
  });
  return { html, inserted };
}

type Inserted = readonly { readonly at: number; readonly shift: number }[];

function moveBack(reading: Reading, inserted: Inserted): Reading {
  const back = (at: number): number => (at < 0 ? at : at - shiftAt(inserted, at));
  const move = <T extends Pick<Span, 'at'>>(span: T): T => ({ ...span, at: back(span.at) });
  const { references, mapped, integrity } = reading;
  return {
    ...reading,
    references: references.map(move),
    ...(mapped ? { mapped: mapped.map(move) } : {}),
    ...(integrity
      ? { integrity: integrity.map((each) => ({ ...move(each), ...(each.of ? { of: move(each.of) } : {}) })) }
      : {}),
  };
}

/** By how much a place in the longer text lies behind its place in the text itself. */
function shiftAt(inserted: Inserted, at: number): number {
  let [low, high] = [0, inserted.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((inserted[middle]?.at ?? 0) <= at) low = middle + 1;
    else high = middle;
  }
  return inserted[low - 1]?.shift ?? 0;
}
