/** The database and its encodings, each as the one file of its older form: as modules they are thirty, found one by one. */
import { createRequire } from 'node:module';
import type * as Lmdb from 'lmdb';
import type * as Msgpackr from 'msgpackr';
import type * as OrderedBinary from 'ordered-binary';

// Rows are small: loading a native part to decode them takes longer than it saves.
process.env['MSGPACKR_NATIVE_ACCELERATION_DISABLED'] ??= 'true';
const load = createRequire(import.meta.url);
export const { open } = load('lmdb') as typeof Lmdb;
export const { Packr, REUSE_BUFFER_MODE } = load('msgpackr') as typeof Msgpackr;
export const { fromBufferKey, toBufferKey } = load('ordered-binary') as typeof OrderedBinary;
