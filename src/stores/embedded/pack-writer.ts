/**
 * Writing pack files: small bodies one after the other. The system writes one block of them, and takes a batch to the
 * disk, while the next bodies are read; a batch is indexed only once its bytes are on disk.
 */
import { randomBytes } from 'node:crypto';
import { closeSync, fstatSync, fsync, fsyncSync, ftruncateSync, openSync, rmSync, write } from 'node:fs';
import { dirname, join } from 'node:path';
import { promisify } from 'node:util';
import type { DigestSet } from '../../core/site/digest-set.js';
import { OWN_FILE, type Layout } from './layout.js';
import type { Rows } from './rows.js';
import { leavePack, notePacked } from './uses.js';

const BATCH_BYTES = 32 * 2 ** 20;
/** Small bodies may be very many. */
const BATCH_BODIES = 4096;
const BLOCK_BYTES = 2 ** 20;

const writeSome = promisify(write);
const syncFile = promisify(fsync);

/** What is written and indexed together. */
interface Batch {
  readonly digests: string[];
  /** In the pack, of each. */
  readonly offsets: number[];
  /** Bytes of each; LARGE where it is a file of its own. */
  readonly lengths: number[];
  readonly sums: Map<string, Buffer>;
  bytes: number;
  /** Folders with new names in them. */
  readonly named: Set<string>;
}

const LARGE = -1;

const emptyBatch = (): Batch => ({
  digests: [],
  offsets: [],
  lengths: [],
  sums: new Map(),
  bytes: 0,
  named: new Set(),
});

/** Appends to a pack of its own, so that two publishers never share a file. */
export class PackWriter {
  readonly #layout: Layout;
  readonly #rows: Rows;
  #name = '';
  #file: number | undefined;
  #offset = 0;
  /** Bytes of the pack that entries lead to. */
  #indexed = 0;
  /** Bodies that were indexed here for the first time. */
  #entries = 0;
  /** What is not given to the system yet: bodies one after the other, most of them read right into it. */
  #block = Buffer.allocUnsafeSlow(BLOCK_BYTES);
  #filled = 0;
  /** What the system may still be writing from. */
  #other: Buffer<ArrayBuffer> | undefined;
  #writing: Promise<void> = Promise.resolve();
  #batch = emptyBatch();
  #indexing: Promise<void> = Promise.resolve();

  readonly #counted: DigestSet;

  /** @param counted what is sent, of which one use each is counted as it is indexed; what is there already is dropped from it */
  constructor(layout: Layout, rows: Rows, counted: DigestSet) {
    this.#layout = layout;
    this.#rows = rows;
    this.#counted = counted;
  }

  /** Where the next body may be put before it is appended. @param size no more than goes into a pack */
  roomFor(size: number): Buffer | Promise<Buffer> {
    const room = (): Buffer => this.#block.subarray(this.#filled, this.#filled + size);
    return this.#filled + size > this.#block.length ? this.#write().then(room) : room();
  }

  /** @param bytes what room was asked for; nothing has to be copied where they lie there already */
  async append(digest: string, bytes: Buffer): Promise<void> {
    this.#file ??= this.#begin();
    const at = this.#filled;
    if (bytes.buffer !== this.#block.buffer || bytes.byteOffset !== this.#block.byteOffset + at)
      this.#block.set(bytes, at);
    this.#add(digest, this.#offset, bytes.length);
    this.#offset += bytes.length;
    this.#filled += bytes.length;
    this.#batch.bytes += bytes.length;
    if (this.#batch.bytes >= BATCH_BYTES || this.#batch.digests.length >= BATCH_BODIES)
      await this.#endBatch();
  }

  /** Indexes a large body that is in its place already. */
  placeLarge(digest: string, path: string, sums: Buffer): void {
    this.#add(digest, 0, LARGE);
    this.#batch.sums.set(digest, sums);
    this.#batch.named.add(dirname(path)).add(this.#layout.large);
  }

  #add(digest: string, offset: number, length: number): void {
    const { digests, offsets, lengths } = this.#batch;
    digests.push(digest);
    offsets.push(offset);
    lengths.push(length);
  }

  /** Waits until all that was appended is on disk and indexed. */
  async settle(): Promise<void> {
    await this.#endBatch();
    await this.#indexing;
  }

  async close(): Promise<void> {
    const file = this.#file;
    if (file === undefined) return;
    // Whatever has failed was told already; the file is closed once nothing is under way in it.
    await Promise.allSettled([this.#writing, this.#indexing]);
    this.#file = undefined;
    try {
      // What no entry leads to only takes room, which may be what is missing.
      if (this.#indexed === 0) rmSync(join(this.#layout.packs, this.#name), { force: true });
      else if (this.#indexed < fstatSync(file).size) ftruncateSync(file, this.#indexed);
    } finally {
      closeSync(file);
    }
  }

  #begin(): number {
    this.#name = packName();
    this.#batch.named.add(this.#layout.packs);
    return openSync(join(this.#layout.packs, this.#name), 'wx', OWN_FILE);
  }

  /** Gives the block to the system, once it is through with the one before. @throws what that met */
  async #write(): Promise<void> {
    await this.#writing;
    if (this.#file === undefined || this.#filled === 0) return;
    const bytes = this.#block.subarray(0, this.#filled);
    const next = this.#other ?? Buffer.allocUnsafeSlow(BLOCK_BYTES);
    this.#other = this.#block;
    this.#block = next;
    this.#writing = writeAt(this.#file, bytes, this.#offset - this.#filled);
    this.#filled = 0;
    leaveToWaiter(this.#writing);
  }

  /** Begins to take a batch to the disk, once the one before is there. @throws what either met */
  async #endBatch(): Promise<void> {
    await this.#write();
    await this.#indexing;
    const batch = this.#batch;
    if (batch.digests.length === 0) return;
    this.#batch = emptyBatch();
    this.#indexing = this.#index(batch, this.#writing, this.#offset);
    leaveToWaiter(this.#indexing);
  }

  async #index(batch: Batch, written: Promise<void>, durable: number): Promise<void> {
    await written;
    if (this.#file !== undefined) await syncFile(this.#file);
    syncFolders(batch.named);
    this.#rows.root.transactionSync(() => this.#enter(batch));
    this.#indexed = durable;
  }

  /** Inside a write transaction. */
  #enter({ digests, offsets, lengths, sums }: Batch): void {
    const rows = this.#rows;
    const isAnyDamaged = rows.damaged.count() > 0;
    // Where all that is indexed comes from here, none of these is there: each body is put once.
    const isAllOurs = !isAnyDamaged && rows.bodies.count() === this.#entries;
    const entered: string[] = [];
    let first = 0;
    let bytes = 0;
    for (const [at, digest] of digests.entries()) {
      const was = isAllOurs ? undefined : rows.bodies.get(digest);
      if (was) {
        this.#counted.drop(digest);
        // Somebody else may have been first.
        if (!isAnyDamaged || !rows.damaged.has(digest)) continue;
        if (was.pack !== undefined) leavePack(rows, was.pack, was.length);
      } else this.#entries++;
      if (isAnyDamaged) rows.damaged.remove(digest);
      // Who sends it is going to use it, which is counted here already: an entry is written once.
      const uses = was?.uses ?? 1;
      const [offset = 0, length = LARGE] = [offsets[at], lengths[at]];
      if (length === LARGE) {
        rows.bodies.put(digest, { pack: undefined, offset: 0, length: 0, uses });
        continue;
      }
      rows.bodies.put(digest, { pack: this.#name, offset, length, uses });
      if (entered.length === 0) first = offset;
      entered.push(digest);
      bytes += length;
    }
    notePacked(rows, { pack: this.#name, offset: first, bytes, digests: entered });
    for (const [digest, sum] of sums) rows.blocks.put(digest, sum);
  }
}

export const packName = (): string =>
  `${Date.now().toString(36)}-${process.pid.toString(36)}-${randomBytes(4).toString('hex')}`;

async function writeAt(file: number, bytes: Buffer, position: number): Promise<void> {
  for (let at = 0; at < bytes.length;) {
    const { bytesWritten } = await writeSome(file, bytes, at, bytes.length - at, position + at);
    at += bytesWritten;
  }
}

/** Who waits for it next is told of its failure; until then nobody is. */
const leaveToWaiter = (work: Promise<void>): void => void work.catch(() => undefined);

/** A new name is durable once its folder is. */
export function syncFolders(folders: Iterable<string>): void {
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
