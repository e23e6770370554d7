/** The database and its encodings, each as the one file of its older form: as modules they are thirty, found one by one. */
import { createRequire } from 'node:module';

// Rows are small: loading a native part to decode them takes longer than it saves.
process.env['MSGPACKR_NATIVE_ACCELERATION_DISABLED'] ??= 'true';
const load = createRequire(import.meta.url);
export const { open } = load('lmdb') as typeof import('lmdb');
export const { Packr, REUSE_BUFFER_MODE } = load('msgpackr') as typeof import('msgpackr');
export const { fromBufferKey, toBufferKey } = load('ordered-binary') as typeof import('ordered-binary');
