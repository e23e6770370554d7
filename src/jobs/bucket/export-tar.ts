/** A release as a tar archive, written as it is read: a list of headers, then each object with its headers as attributes. */
import { createHash } from 'node:crypto';
import { createWriteStream, existsSync, renameSync, rmSync } from 'node:fs';
import type { Writable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { createGzip } from 'node:zlib';
import type { Pack } from 'tar-stream';
import { FenestraError } from '../../core/errors/catalogue.js';
import { reasonInWords } from '../../core/errors/system-error.js';
import { exportedObject, toAttributes } from '../../core/release/exported-object.js';
import { HEADER_LIST } from '../../disk/own-files.js';
import type { Snapshot } from '../../stores/port.js';
import type { Progress } from '../progress.js';
import {
  assertOutside,
  damagedBody,
  exportedOf,
  listExporting,
  OWNER_ALONE,
  type Exported,
  type Exporting,
  type ExportInput,
} from './export-bucket.js';

const EVERYBODY = 0o644;
const modeOf = (readable: boolean): number => (readable ? EVERYBODY : OWNER_ALONE);

/**
 * @param input its folder is the archive: absolute, and not there yet; - for the standard output
 * @throws FenestraError EXPORT_REFUSED, EXPORT_FAILED, BODY_DAMAGED
 */
export async function exportTar(
  snapshot: Snapshot,
  input: ExportInput,
  progress: Progress,
): Promise<Exported> {
  const { folder: file, site } = input;
  const isOutput = file === '-';
  if (!isOutput) {
    assertOutside(file, site);
    if (existsSync(file))
      throw new FenestraError('EXPORT_REFUSED', { folder: file, reason: 'it is there already' });
  }
  const objects = await listExporting(snapshot, input);
  const exported = exportedOf(snapshot, objects);
  progress.step('export', { bytes: exported.bytes, objects: objects.length });
  const temporary = `${file}.new-${process.pid}-${Date.now().toString(36)}`;
  try {
    const mode = modeOf(exported.unreadable === 0);
    const to = isOutput ? process.stdout : createWriteStream(temporary, { flags: 'wx', mode });
    await write(snapshot, objects, { to, isPacked: /\.t?gz$/i.test(file) }, progress);
    if (!isOutput) renameSync(temporary, file);
  } catch (error) {
    if (!isOutput) rmSync(temporary, { force: true });
    if (error instanceof FenestraError) throw error;
    throw new FenestraError('EXPORT_FAILED', { folder: file, reason: reasonInWords(error) }, error);
  }
  return exported;
}

async function write(
  snapshot: Snapshot,
  objects: readonly Exporting[],
  { to, isPacked }: { readonly to: Writable; readonly isPacked: boolean },
  progress: Progress,
): Promise<void> {
  const { default: tar } = await import('tar-stream');
  const archive = tar.pack();
  const end = { end: to !== process.stdout };
  const written = isPacked ? pipeline(archive, createGzip(), to, end) : pipeline(archive, to, end);
  const filled = fill(archive, snapshot, objects, progress).catch((error: unknown) => {
    archive.destroy(error instanceof Error ? error : new Error(String(error)));
    throw error;
  });
  const failed = (await Promise.allSettled([filled, written])).flatMap((each) =>
    each.status === 'rejected' ? [each.reason as unknown] : [],
  );
  // What is wrong with the release says most, then why the file takes no more.
  if (failed.length > 0) throw failed.find((error) => error instanceof FenestraError) ?? failed.at(-1);
}

async function fill(
  archive: Pack,
  snapshot: Snapshot,
  objects: readonly Exporting[],
  progress: Progress,
): Promise<void> {
  const lines = objects.map(
    ({ object, readable }) => `${JSON.stringify(exportedObject(object, readable))}\n`,
  );
  const list = Buffer.from(lines.join(''));
  const at = new Date(Math.max(0, ...objects.map(({ object }) => object.since)));
  const whole = modeOf(objects.every(({ readable }) => readable));
  await put(archive, { name: HEADER_LIST, size: list.length, mtime: at, mode: whole }, [list]);
  let [bytes, done] = [0, 0];
  for (const { object, readable } of objects) {
    const { key, size, since } = object;
    const header = {
      ...{ name: key, size, mtime: new Date(since), mode: modeOf(readable) },
      pax: toAttributes(exportedObject(object, readable)),
    };
    const hash = createHash('sha256');
    await put(archive, header, size === 0 ? [] : snapshot.read(object), (piece) => hash.update(piece));
    if (hash.digest('hex') !== object.digest) throw damagedBody(key, 'the archive');
    progress.advance((bytes += size), ++done);
  }
  archive.finalize();
}

async function put(
  archive: Pack,
  header: Parameters<Pack['entry']>[0],
  pieces: Iterable<Uint8Array> | AsyncIterable<Uint8Array>,
  seen: (piece: Uint8Array) => void = () => undefined,
): Promise<void> {
  let taken = (_error?: Error | null): void => undefined;
  const whole = new Promise<void>((done, failed) => {
    taken = (error) => (error ? failed(error) : done());
  });
  whole.catch(() => undefined);
  const entry = archive.entry(header, (error) => taken(error));
  for await (const piece of pieces) {
    seen(piece);
    if (entry.write(piece)) continue;
    // Where nobody takes any more, it fails.
    await Promise.race([new Promise<void>((done) => entry.once('drain', () => done())), whole]);
  }
  entry.end(undefined);
  await whole;
}
