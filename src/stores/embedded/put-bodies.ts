/** Putting bodies: small ones appended to pack files, large ones as files named by their SHA-256. */
import { createHash } from 'node:crypto';
import * as crypto from 'node:crypto';
import { closeSync, fsyncSync, mkdirSync, openSync, renameSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { FenestraError } from '../../core/errors/catalogue.js';
import { BlockSums } from '../../files/block-sums.js';
import { writeAll } from '../../files/write-whole.js';
import type { BodySource } from '../port.js';
import { largePath, OWN_FILE, OWN_FOLDER, type Layout } from './layout.js';
import { isBodyWhole } from './damage.js';
import { DigestSet } from '../../core/site/digest-set.js';
import { PackWriter } from './pack-writer.js';
import type { Rows } from './rows.js';

/** Bytes up to which a body goes into a pack. */
export const PACK_LIMIT = 256 * 1024;

/** Makes bodies durable in batches; a batch is indexed only once its bytes are on disk. */
export class BodyWriter {
  readonly #layout: Layout;
  readonly #rows: Rows;
  readonly #writer: PackWriter;
  /** Bodies that were sent; one use of each was counted as it came. */
  readonly sent: DigestSet;
  /** Nothing has to be looked for in an empty store. */
  #isEmpty: boolean;
  #count = 0;

  /** @param expected how many bodies may come */
  constructor(layout: Layout, rows: Rows, expected: number) {
    this.#layout = layout;
    this.#rows = rows;
    this.sent = new DigestSet(crypto.randomInt(2 ** 32), expected);
    this.#writer = new PackWriter(layout, rows, this.sent);
    this.#isEmpty = rows.bodies.count() === 0;
  }

  async put(body: BodySource): Promise<void> {
    const { digest, size } = body.object;
    // No bytes need no place.
    if (size === 0) await readSmall(body, NOTHING);
    else if ((this.#isEmpty || !isBodyWhole(this.#rows, digest)) && this.sent.add(digest)) {
      if (size <= PACK_LIMIT) await this.#putSmall(body);
      else await putLarge(this.#layout, this.#writer, body);
    }
    // Other work gets a turn now and then.
    if (++this.#count % 64 === 0) await new Promise(setImmediate);
  }

  async #putSmall(body: BodySource): Promise<void> {
    const room = this.#writer.roomFor(body.object.size);
    const bytes = await readSmall(body, room instanceof Promise ? await room : room);
    await this.#writer.append(body.object.digest, bytes);
  }

  async settle(): Promise<void> {
    await this.#writer.settle();
    this.#isEmpty = false;
  }

  async close(): Promise<void> {
    await this.#writer.close();
  }
}

const NOTHING = Buffer.alloc(0);

async function readSmall(body: BodySource, into: Buffer): Promise<Buffer> {
  const { object, path } = body;
  const given = body.read(into);
  const { bytes, verified } = given instanceof Promise ? await given : given;
  if (bytes.length !== object.size || (!verified && sha256(bytes) !== object.digest))
    throw new FenestraError('FILE_CHANGING', { path });
  return bytes;
}

const sha256 = (bytes: Buffer): string => crypto.hash('sha256', bytes, 'hex');

/** Writes a large body to its place piece by piece under a temporary name, hashing on the way; it is never whole in memory. */
async function putLarge(layout: Layout, writer: PackWriter, body: BodySource): Promise<void> {
  const { object, path } = body;
  const target = largePath(layout, object.digest);
  const temporary = join(layout.large, `${object.digest}.${process.pid}.new`);
  mkdirSync(join(layout.large, object.digest.slice(0, 2)), { recursive: true, mode: OWN_FOLDER });
  const file = openSync(temporary, 'w', OWN_FILE);
  try {
    const hash = createHash('sha256');
    const sums = new BlockSums();
    let size = 0;
    let pause = PAUSE_BYTES;
    for await (const piece of body.pieces()) {
      hash.update(piece);
      sums.add(piece);
      writeAll(file, Buffer.from(piece.buffer, piece.byteOffset, piece.byteLength));
      size += piece.length;
      if (size < pause) continue;
      pause += PAUSE_BYTES;
      await new Promise(setImmediate);
    }
    if (size !== object.size || hash.digest('hex') !== object.digest)
      throw new FenestraError('FILE_CHANGING', { path });
    fsyncSync(file);
    renameSync(temporary, target);
    writer.placeLarge(object.digest, target, sums.finish());
  } finally {
    closeSync(file);
    rmSync(temporary, { force: true });
  }
}

/** Bytes after which a large body lets other work have a turn. */
const PAUSE_BYTES = 16 * 2 ** 20;
