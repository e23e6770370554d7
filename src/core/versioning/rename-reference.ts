/** How a reference is written once its target has another name: the last part of its path changes, and nothing else. */
import type { Escaping } from '../reading/reading.js';
import { fileName } from '../site/key.js';
import { encodeName } from './encode-name.js';

/** A piece of a text and what takes its place, in UTF-16 units. */
export interface TextEdit {
  readonly at: number;
  readonly length: number;
  readonly text: string;
}

/** Carries edits out. @param edits in rising order */
export function rewriteText(text: string, edits: readonly TextEdit[]): string {
  let [rewritten, from] = ['', 0];
  for (const { at, length, text: put } of edits) {
    rewritten += text.slice(from, at) + put;
    from = at + length;
  }
  return rewritten + text.slice(from);
}

/** The character with which what is escaped begins. */
const ESCAPES: Readonly<Record<Escaping, string>> = { html: '&', css: '\\', json: '\\', xml: '&' };

export interface WrittenReference {
  readonly at: number;
  /** As it stands in the text. */
  readonly written: string;
  /** What it means. */
  readonly raw: string;
  readonly escaping?: Escaping;
}

/**
 * @param from the key that it names now @param to the key in the same folder that it is to name
 * @returns undefined where it cannot be told for certain which part of it is the name
 */
export function renameReference(reference: WrittenReference, from: string, to: string): TextEdit | undefined {
  const { at, written, raw, escaping } = reference;
  const place = findName(raw, fileName(from));
  if (!place) return undefined;
  const name = encodeName(fileName(to));
  // Up to where something is escaped, text and meaning run side by side.
  const plain = escaping === undefined ? written.length : sideBySide(written, raw, escaping);
  if (place.to <= plain) return { at: at + place.from, length: place.to - place.from, text: name };
  if (escaping === undefined) return undefined;
  const whole = raw.slice(0, place.from) + name + raw.slice(place.to);
  return { at, length: written.length, text: escape(whole, escaping) };
}

/** What a reference says once its target has another name; undefined where it does not end in that name. */
export function renameAddress(raw: string, from: string, to: string): string | undefined {
  const place = findName(raw, fileName(from));
  return place && raw.slice(0, place.from) + encodeName(fileName(to)) + raw.slice(place.to);
}

/** How far a text and what it means are the same, character by character. */
function sideBySide(written: string, raw: string, escaping: Escaping): number {
  const escaped = written.indexOf(ESCAPES[escaping]);
  const most = escaped < 0 ? written.length : escaped;
  let same = 0;
  while (same < most && written[same] === raw[same]) same++;
  return same;
}

/** Where the name stands in an address; undefined where its last part is something else. */
function findName(raw: string, name: string): { readonly from: number; readonly to: number } | undefined {
  const to = raw.search(/[?#]|$/);
  const path = raw.slice(0, to);
  const from = Math.max(path.lastIndexOf('/'), path.lastIndexOf('\\')) + 1;
  return decodeName(path.slice(from)) === name ? { from, to } : undefined;
}

function decodeName(written: string): string | undefined {
  try {
    // Browsers drop tabs and line breaks in an address.
    return decodeURIComponent(written.replace(/[\t\n\r]/g, '')).normalize('NFC');
  } catch {
    return undefined;
  }
}

const MARKUP: Readonly<Record<string, string>> = {
  '&': '&amp;',
  '<': '&lt;',
  '>': '&gt;',
  '"': '&quot;',
  "'": '&#39;',
};

function escape(text: string, escaping: Escaping): string {
  if (escaping === 'json') return JSON.stringify(text).slice(1, -1);
  if (escaping === 'css')
    return text.replace(
      /[\\"'()\s\u0000-\u001f]/g,
      (character) => `\\${character.charCodeAt(0).toString(16)} `,
    );
  // White space ends an attribute without quotes, and none of it means anything in an address.
  return text.replace(/[&<>"']/g, (character) => MARKUP[character] ?? character);
}
