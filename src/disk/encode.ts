/** Content codings (RFC 9110 section 8.4.1), the same bytes for the same input each time. */
import {
  brotliCompressSync,
  brotliDecompressSync,
  constants,
  createBrotliCompress,
  createGzip,
  gunzipSync,
  gzipSync,
  type BrotliCompress,
  type Gzip,
} from 'node:zlib';
import type { Encoding } from '../core/assign/properties.js';

const BROTLI = { params: { [constants.BROTLI_PARAM_QUALITY]: 9, [constants.BROTLI_PARAM_LGWIN]: 22 } };
const GZIP = { level: 9 };

export const encodeBytes = (bytes: Buffer, encoding: Encoding): Buffer =>
  encoding === 'gzip' ? gzipSync(bytes, GZIP) : brotliCompressSync(bytes, BROTLI);

export const createEncoder = (encoding: Encoding): Gzip | BrotliCompress =>
  encoding === 'gzip' ? createGzip(GZIP) : createBrotliCompress(BROTLI);

/** @param most bytes that may come out @throws an error of zlib when there are more, or when they are not coded so */
export const decodeBytes = (bytes: Buffer, encoding: Encoding, most: number): Buffer =>
  encoding === 'gzip'
    ? gunzipSync(bytes, { maxOutputLength: most })
    : brotliDecompressSync(bytes, { maxOutputLength: most });
