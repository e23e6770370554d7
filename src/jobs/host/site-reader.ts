/** Reading files of the site as they were surveyed: what is another file by now is never passed on. */
import { hash } from 'node:crypto';
import { LRUCache } from 'lru-cache';
import type { Encoding } from '../../core/assign/properties.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { SiteObject } from '../../core/site/site-object.js';
import type { Rewrite } from '../../core/site/survey.js';
import { piecesFrom, readPublished } from '../../disk/read-file.js';
import { readRewritten } from '../../disk/rewrite.js';
import { blockStart, sumUp, verifyBlocks } from '../../files/block-sums.js';

export interface SiteReader {
  /** All bytes of a small object. @throws FenestraError FILE_CHANGING, FILE_UNREADABLE */
  read(object: SiteObject): Buffer;
  /** Bytes `start` to `end`, both included, in pieces of their own. @throws FenestraError as `read`, also half-way */
  pieces(
    object: SiteObject,
    part: { readonly start: number; readonly end: number },
  ): AsyncGenerator<Uint8Array>;
}

/** Large files that were summed up, by digest. */
const MAX_SUMMED = 200;

/** The file of an object, absolute, and what becomes of it on the way. */
export interface ObjectSource {
  readonly path: string;
  readonly encoding: Encoding | undefined;
  readonly rewrite?: Rewrite | undefined;
}

/** @param sourceOf throws where there is none */
export function createSiteReader(sourceOf: (object: SiteObject) => ObjectSource): SiteReader {
  const sums = new LRUCache<string, Buffer>({ max: MAX_SUMMED });
  return {
    // Headers tell of the bytes that were surveyed, so only those are sent with them.
    read(object) {
      const source = sourceOf(object);
      const { path } = source;
      const bytes = readAll(source);
      if (bytes.length !== object.size || hash('sha256', bytes, 'hex') !== object.digest)
        throw new FenestraError('FILE_CHANGING', { path });
      return bytes;
    },
    async *pieces(object, { start, end }) {
      const source = sourceOf(object);
      const { path, encoding, rewrite } = source;
      const wrong = (): FenestraError => new FenestraError('FILE_CHANGING', { path });
      if (rewrite) {
        const bytes = readAll(source);
        if (hash('sha256', bytes, 'hex') !== object.digest) throw wrong();
        yield bytes.subarray(start, end + 1);
        return;
      }
      let known = sums.get(object.digest);
      if (!known) {
        const summed = await sumUp(piecesFrom(path, encoding, 0));
        if (summed.digest !== object.digest) throw wrong();
        sums.set(object.digest, (known = summed.sums));
      }
      const pieces = piecesFrom(path, encoding, blockStart(start));
      yield* verifyBlocks(pieces, known, { size: object.size, start, end }, wrong);
    },
  };
}

/** A text is rewritten whole. */
const readAll = ({ path, encoding, rewrite }: ObjectSource): Buffer =>
  rewrite ? readRewritten(path, encoding, rewrite) : readPublished(path, encoding);
