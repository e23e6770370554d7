/** Learning a file: its digest as published, and the facts that findings need, in one reading. */
import { createHash } from 'node:crypto';
import * as crypto from 'node:crypto';
import { statSync } from 'node:fs';
import { isUtf8 } from 'node:buffer';
import { FenestraError } from '../core/errors/catalogue.js';
import type { Encoding } from '../core/assign/properties.js';
import { essence, isText } from '../core/assign/media-type.js';
import { isJson, isPage, isStyle } from '../core/assign/defaults.js';
import { programByText } from '../core/site/server-program.js';
import type { Facts } from '../core/site/site-object.js';
import { encodeBytes } from './encode.js';
import { asFileError, isAlreadyEncoded, readWhole, piecesPublished, WHOLE_LIMIT } from './read-file.js';
import { Utf8Check } from './utf8-check.js';

export interface Fingerprint {
  /** SHA-256 of the bytes as published. */
  readonly digest: string;
  /** Size of the bytes as published. */
  readonly size: number;
  readonly facts: Facts;
}

const SNIFF_BYTES = 4100;

/** A thread learns one file after the other. */
const scratch = Buffer.allocUnsafeSlow(WHOLE_LIMIT);

/**
 * One at a time: what is read of a small file is good until the next one.
 * @throws FenestraError FILE_UNREADABLE, FILE_CHANGING
 */
export async function fingerprintFile(
  path: string,
  size: number,
  contentType: string,
  encoding: Encoding | undefined,
): Promise<Fingerprint> {
  if (size > WHOLE_LIMIT) return fingerprintLarge(path, size, contentType, encoding);
  const raw = readWhole(path, Infinity, scratch);
  if (raw.length !== size) throw new FenestraError('FILE_CHANGING', { path });
  const bytes =
    encoding === undefined || isAlreadyEncoded(path, raw, encoding) ? raw : encodeBytes(raw, encoding);
  const waits = readFacts(raw, contentType);
  return {
    digest: crypto.hash('sha256', bytes, 'hex'),
    size: bytes.length,
    facts: waits instanceof Promise ? await waits : waits,
  };
}

async function fingerprintLarge(
  path: string,
  size: number,
  contentType: string,
  encoding: Encoding | undefined,
): Promise<Fingerprint> {
  const head = readWhole(path, SNIFF_BYTES);
  const hash = createHash('sha256');
  const text = encoding === undefined && isText(essence(contentType)) ? new Utf8Check() : undefined;
  let published = 0;
  for await (const piece of piecesPublished(path, encoding)) {
    hash.update(piece);
    published += piece.length;
    text?.add(piece);
  }
  let after: number;
  try {
    after = statSync(path).size;
  } catch (error) {
    throw asFileError(error, path);
  }
  if (after !== size) throw new FenestraError('FILE_CHANGING', { path });
  const facts = await readFacts(head, contentType, text?.holds() ?? true);
  return { digest: hash.digest('hex'), size: published, facts };
}

/** @param utf8 what is known of bytes beyond `bytes`; left out when these are all */
function readFacts(bytes: Buffer, contentType: string, utf8?: boolean): Facts | Promise<Facts> {
  const type = essence(contentType);
  const readsAsText = utf8 ?? isUtf8(bytes);
  const textual = isText(type);
  const charset = isPage(type) ? htmlCharset(bytes) : isStyle(type) ? cssCharset(bytes) : '';
  const emails = (isJson(type) || type === 'text/csv') && holdsEmail(bytes.subarray(0, 65_536));
  const program = readProgram(bytes, type, textual);
  const facts = {
    sniffed: '',
    charset,
    utf8: textual ? readsAsText : true,
    emails,
    ...(program === undefined ? {} : { program }),
  };
  if ((textual && readsAsText && !bytes.includes(0)) || bytes.length === 0 || looksAsNamed(type, bytes))
    return facts;
  return sniff(bytes).then((found) => ({
    ...facts,
    sniffed: found === '' && BINARY.test(type) ? textInside(bytes) : found,
  }));
}

/** Of a text, or of what has no type; most hold nothing that such a program could not be without. */
function readProgram(bytes: Buffer, type: string, textual: boolean): string | undefined {
  if (!textual && type !== '' && !isPage(type)) return undefined;
  const isLikely = (type === '' && bytes[0] === HASH) || bytes.includes('<?') || bytes.includes('<%');
  return isLikely ? programByText(type, bytes.toString('latin1', 0, PROGRAM_BYTES)) : undefined;
}

const HASH = 0x23;
/** So far such code is looked for. */
const PROGRAM_BYTES = 2 ** 20;

/** Types that are never plain text. */
const BINARY = /^(?:image|audio|video|font)\/|^application\/(?:pdf|zip|gzip|wasm)$/;

/** What text a supposedly binary file holds, such as an error page saved under a picture's name. */
function textInside(bytes: Buffer): string {
  if (!isUtf8(bytes) || bytes.includes(0)) return '';
  return /^\s*(?:<!doctype html|<html[\s>])/i.test(bytes.toString('latin1', 0, 256))
    ? 'text/html'
    : 'text/plain';
}

// The commonest pictures and fonts, recognised without loading the detector.
const SIGNATURES: ReadonlyMap<string, readonly number[]> = new Map(
  Object.entries({
    'image/png': [0x89, 0x50, 0x4e, 0x47],
    'image/jpeg': [0xff, 0xd8, 0xff],
    'image/gif': [0x47, 0x49, 0x46, 0x38],
    'font/woff2': [0x77, 0x4f, 0x46, 0x32],
    'font/woff': [0x77, 0x4f, 0x46, 0x46],
    'application/pdf': [0x25, 0x50, 0x44, 0x46],
  }),
);

const looksAsNamed = (type: string, bytes: Buffer): boolean =>
  SIGNATURES.get(type)?.every((byte, at) => bytes[at] === byte) ?? false;

async function sniff(bytes: Buffer): Promise<string> {
  const { fileTypeFromBuffer } = await import('file-type');
  try {
    return (await fileTypeFromBuffer(bytes.subarray(0, SNIFF_BYTES)))?.mime ?? '';
  } catch {
    // A file cut short inside its own header gives nothing away.
    return '';
  }
}

const EMAIL = /[A-Za-z0-9._%+-]@[A-Za-z0-9-]+(?:\.[A-Za-z0-9-]+)*\.[A-Za-z]{2,}/;
const AT = 0x40;

/** Looks only around the characters that an address cannot be without. */
function holdsEmail(bytes: Buffer): boolean {
  for (let at = bytes.indexOf(AT); at >= 0; at = bytes.indexOf(AT, at + 1)) {
    if (EMAIL.test(bytes.toString('latin1', Math.max(0, at - 1), at + 80))) return true;
  }
  return false;
}

/** The charset that a page declares within its first 1,024 bytes, as the HTML standard has browsers look for it. */
function htmlCharset(bytes: Buffer): string {
  const head = bytes.toString('latin1', 0, 1024).replace(/<!--[\s\S]*?-->/g, '');
  return (/<meta[^>]*?charset\s*=["'\s]*([\w:.-]+)/i.exec(head)?.[1] ?? '').toLowerCase();
}

const cssCharset = (bytes: Buffer): string =>
  (/^@charset "([^"]+)";/.exec(bytes.toString('latin1', 0, 128))?.[1] ?? '').toLowerCase();
