/** Many lines in little room, a piece at a time: neither all of the text nor all of its lines are ever held. */
import { once } from 'node:events';
import { Readable } from 'node:stream';
import { createGunzip, createGzip } from 'node:zlib';

/** Bytes of text that are given to the packer at once. */
const PIECE = 64 * 1024;
/** What is unpacked is no larger; characters. */
const MOST = 2 ** 31;
/** No line is longer: a key, its headers, and room. Characters. */
const MAX_LINE = 2 ** 20;

export async function packLines(lines: Iterable<string>): Promise<Buffer> {
  const packer = createGzip();
  const packed: Buffer[] = [];
  packer.on('data', (piece: Buffer) => packed.push(piece));
  const ended = once(packer, 'end');
  let text = '';
  const write = async (): Promise<void> => {
    if (!packer.write(text)) await once(packer, 'drain');
    text = '';
  };
  for (const line of lines) {
    text += `${line}\n`;
    if (text.length >= PIECE) await write();
  }
  await write();
  packer.end();
  await ended;
  return Buffer.concat(packed);
}

/** @throws Error where it is no such thing, or too much */
export async function* unpackLines(packed: Buffer): AsyncGenerator<string> {
  const unpacked = Readable.from([packed]).pipe(createGunzip()).setEncoding('utf8');
  let [rest, length] = ['', 0];
  for await (const piece of unpacked as AsyncIterable<string>) {
    length += piece.length;
    if (length > MOST) throw new Error('it is too large');
    const lines = (rest + piece).split('\n');
    rest = lines.pop() ?? '';
    if (rest.length > MAX_LINE) throw new Error('a line of it is too long');
    yield* lines;
  }
  if (rest !== '') yield rest;
}
