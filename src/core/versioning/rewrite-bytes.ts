/**
 * Edits of a text carried out on its bytes, whatever they are encoded in: what surrounds an edit stays byte for byte, also
 * where it is not what it says it is.
 */
import { Buffer } from 'node:buffer';
import { rewriteText, type TextEdit } from './rename-reference.js';

/** Bytes that are decoded at once where each character has to be followed. */
const PIECE = 4096;

/**
 * @param bytes of the text, without any content coding
 * @param charset as the type says, in which the text was decoded for the edits
 * @param edits in rising order; what they put in is ASCII
 */
export function rewriteBytes(bytes: Buffer, charset: string, edits: readonly TextEdit[]): Buffer {
  if (edits.length === 0) return bytes;
  const places = placesOf(bytes, charset, edits);
  const isWide = /^(?:utf-?16(?:le|be)?|ucs-?2|unicode|iso-10646-ucs-2)$/i.test(charset);
  // One character for each byte, so that no character is lost on the way.
  const ofBytes = edits.map(({ text }, n): TextEdit => {
    const [at = 0, to = 0] = places[n] ?? [];
    return { at, length: to - at, text: isWide ? widen(text, /be$/i.test(charset)) : text };
  });
  return Buffer.from(rewriteText(bytes.toString('latin1'), ofBytes), 'latin1');
}

function widen(text: string, isBigEndian: boolean): string {
  const bytes = Buffer.from(text, 'utf16le');
  return (isBigEndian ? bytes.swap16() : bytes).toString('latin1');
}

/** Where each edit begins and ends in the bytes. */
function placesOf(bytes: Buffer, charset: string, edits: readonly TextEdit[]): [number, number][] {
  const toByte = /^utf-?8$/i.test(charset) ? inUtf8(bytes) : inCharset(bytes, charset);
  return edits.map(({ at, length }) => [toByte(at), toByte(at + length)]);
}

/** The byte at which a character begins; asked for in rising order. */
function inUtf8(bytes: Buffer): (at: number) => number {
  const mark = bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf ? 3 : 0;
  const plain = mark > 0 ? bytes.subarray(mark) : bytes;
  const text = plain.toString('utf8');
  if (text.length === plain.length) return (at) => at + mark;
  // Bytes that are no UTF-8 became characters that are longer than they were.
  if (text.includes('\uFFFD')) return inCharset(bytes, 'utf-8');
  let [seen, byte] = [0, mark];
  return (at) => {
    byte += Buffer.byteLength(text.slice(seen, at));
    seen = at;
    return byte;
  };
}

function inCharset(bytes: Buffer, charset: string): (at: number) => number {
  const decoder = openDecoder(charset);
  let [characters, byte] = [0, 0];
  /** The characters of the piece at hand, from `byte` on, are not counted yet. */
  const step = (to: number): number => {
    const text = decoder.decode(bytes.subarray(byte, to), { stream: true });
    byte = to;
    return text.length;
  };
  return (at) => {
    // Whole pieces as long as they end before the place; then one byte after the other.
    while (characters < at && byte < bytes.length) {
      const left = at - characters;
      // A character has at most two units for each byte and four bytes for each unit.
      characters += step(Math.min(bytes.length, byte + (left > PIECE ? PIECE >> 1 : 1)));
    }
    // A character that shows what was before it to be broken comes together with that.
    return characters > at ? byte - 1 : byte;
  };
}

/** As a browser takes the name; what is none is UTF-8. */
function openDecoder(charset: string): InstanceType<typeof TextDecoder> {
  try {
    return new TextDecoder(charset);
  } catch {
    return new TextDecoder('utf-8');
  }
}
