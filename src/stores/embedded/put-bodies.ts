/** Putting bodies: small ones appended to pack files, large ones as files named by their SHA-256. */
import { createHash } from 'node:crypto';
import * as crypto from 'node:crypto';
import {
  closeSync,
  fstatSync,
  fsyncSync,
  ftruncateSync,
  mkdirSync,
  openSync,
  readSync,
  renameSync,
  rmSync,
} from 'node:fs';
import { dirname, join } from 'node:path';
import { FenestraError, systemCode } from '../../core/errors/catalogue.js';
import { BlockSums } from '../../files/block-sums.js';
import { writeAll } from '../../files/write-whole.js';
import type { BodySource } from '../port.js';
import { largePath, OWN_FILE, OWN_FOLDER, type Layout } from './layout.js';
import { isBodyWhole } from './damage.js';
import type { BodyPlace, PackedPlace, Rows } from './rows.js';

/** Bytes up to which a body goes into a pack. */
export const PACK_LIMIT = 256 * 1024;
const BATCH_BYTES = 32 * 2 ** 20;
const WRITE_BYTES = 4 * 2 ** 20;

/** Makes bodies durable in batches; a batch is indexed only once its bytes are on disk. */
export class BodyWriter {
  readonly #layout: Layout;
  readonly #rows: Rows;
  readonly #writer: PackWriter;
  readonly #taken = new Set<string>();
  #count = 0;

  constructor(layout: Layout, rows: Rows) {
    this.#layout = layout;
    this.#rows = rows;
    this.#writer = new PackWriter(layout, rows);
  }

  async put(body: BodySource): Promise<void> {
    const { digest, size } = body.object;
    if (!this.#taken.has(digest) && !isBodyWhole(this.#rows, digest)) {
      this.#taken.add(digest);
      if (size <= PACK_LIMIT) this.#writer.append(digest, await readSmall(body, this.#writer.roomFor(size)));
      else await putLarge(this.#layout, this.#writer, body);
    }
    // Other work gets a turn now and then.
    if (++this.#count % 64 === 0) await new Promise(setImmediate);
  }

  settle(): void {
    this.#writer.finishBatch();
    // Indexed now, which tells as well.
    this.#taken.clear();
  }

  close(): void {
    this.#writer.close();
  }
}

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

/** Appends to a pack of its own, so that two publishers never share a file. */
class PackWriter {
  readonly #layout: Layout;
  readonly #rows: Rows;
  #name = '';
  #file: number | undefined;
  #offset = 0;
  /** Bytes of the pack that entries lead to. */
  #indexed = 0;
  /** What is not written yet: bodies one after the other, most of them read right into it. */
  readonly #block = Buffer.allocUnsafeSlow(WRITE_BYTES);
  #filled = 0;
  #batchBytes = 0;
  #places: [string, BodyPlace][] = [];
  #sums: [string, Buffer][] = [];
  /** Folders with new names in them. */
  readonly #named = new Set<string>();

  readonly #moves: boolean;

  /** @param moves puts entries in the place of those that are there */
  constructor(layout: Layout, rows: Rows, moves = false) {
    this.#layout = layout;
    this.#rows = rows;
    this.#moves = moves;
  }

  /** Where the next body may be put before it is appended. */
  roomFor(size: number): Buffer {
    if (this.#filled + size > this.#block.length) this.#write();
    return this.#block.subarray(this.#filled, this.#filled + size);
  }

  /** @param bytes no more than go into a pack */
  append(digest: string, bytes: Buffer): void {
    if (this.#file === undefined) this.#begin();
    const room = this.roomFor(bytes.length);
    // Nothing to do where they lie there already.
    if (bytes.buffer !== room.buffer || bytes.byteOffset !== room.byteOffset) room.set(bytes);
    this.#places.push([digest, [this.#name, this.#offset, bytes.length]]);
    this.#offset += bytes.length;
    this.#filled += bytes.length;
    this.#batchBytes += bytes.length;
    if (this.#batchBytes >= BATCH_BYTES) this.finishBatch();
  }

  /** Indexes a large body that is in its place already. */
  placeLarge(digest: string, path: string, sums: Buffer): void {
    this.#places.push([digest, ['large']]);
    this.#sums.push([digest, sums]);
    this.#named.add(dirname(path)).add(this.#layout.large);
  }

  finishBatch(): void {
    this.#write();
    if (this.#file !== undefined) fsyncSync(this.#file);
    syncFolders(this.#named);
    this.#named.clear();
    const [places, sums] = [this.#places, this.#sums];
    this.#places = [];
    this.#sums = [];
    this.#batchBytes = 0;
    if (places.length === 0) return;
    const durable = this.#offset;
    this.#rows.root.transactionSync(() => {
      for (const [digest, place] of places)
        if (this.#moves || !isBodyWhole(this.#rows, digest)) {
          this.#rows.bodies.put(digest, place);
          if (!this.#moves) this.#rows.damaged.remove(digest);
        }
      for (const [digest, sum] of sums) this.#rows.blocks.put(digest, sum);
    });
    this.#indexed = durable;
  }

  close(): void {
    if (this.#file === undefined) return;
    const file = this.#file;
    this.#file = undefined;
    try {
      // What no entry leads to only takes room, which may be what is missing.
      if (this.#indexed === 0) rmSync(join(this.#layout.packs, this.#name), { force: true });
      else if (this.#indexed < fstatSync(file).size) ftruncateSync(file, this.#indexed);
    } finally {
      closeSync(file);
    }
  }

  #begin(): void {
    this.#name = `${Date.now().toString(36)}-${process.pid.toString(36)}-${crypto.randomBytes(4).toString('hex')}`;
    this.#file = openSync(join(this.#layout.packs, this.#name), 'wx', OWN_FILE);
    this.#named.add(this.#layout.packs);
  }

  #write(): void {
    if (this.#file === undefined || this.#filled === 0) return;
    writeAll(this.#file, this.#block.subarray(0, this.#filled));
    this.#filled = 0;
  }
}

/** A new name is durable once its folder is. */
function syncFolders(folders: ReadonlySet<string>): void {
  for (const folder of folders) {
    const file = openSync(folder, 'r');
    try {
      fsyncSync(file);
    } catch {
      // Some file systems do not let a folder be synced; their names are durable with their files.
    } finally {
      closeSync(file);
    }
  }
}

function readPacked(layout: Layout, [pack, offset, length]: PackedPlace): Buffer | undefined {
  const bytes = Buffer.alloc(length);
  try {
    const file = openSync(join(layout.packs, pack), 'r');
    try {
      return readSync(file, bytes, 0, length, offset) === length ? bytes : undefined;
    } finally {
      closeSync(file);
    }
  } catch (error) {
    if (systemCode(error) !== 'ENOENT') throw error;
    return undefined;
  }
}

/** Writes packed bodies into a new pack and moves their entries there, so that their old packs can go. */
export function movePacked(layout: Layout, rows: Rows, bodies: readonly [string, BodyPlace][]): void {
  const writer = new PackWriter(layout, rows, true);
  try {
    for (const [digest, place] of bodies) {
      if (place.length !== 3) continue;
      const bytes = readPacked(layout, place);
      // What cannot be read stays where its entry says, to be found damaged by whoever asks for it.
      if (bytes) writer.append(digest, bytes);
    }
    writer.finishBatch();
  } finally {
    writer.close();
  }
}
