import { gzipSync } from 'node:zlib';
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { packLines, unpackLines } from './packed-lines.js';

const unpack = async (packed: Buffer): Promise<string[]> => {
  const lines: string[] = [];
  for await (const line of unpackLines(packed)) lines.push(line);
  return lines;
};

it('gives back every line as it was, whatever is in it', async () => {
  await fc.assert(
    fc.asyncProperty(
      fc.array(fc.string({ unit: 'binary' }).map((text) => JSON.stringify(text))),
      async (lines) => {
        expect(await unpack(await packLines(lines))).toEqual(lines);
      },
    ),
    { numRuns: 50 },
  );
});

it('holds many lines without all of their text', async () => {
  const lines = function* (): Generator<string> {
    for (let n = 0; n < 50_000; n++) yield `line ${n} `.padEnd(200, 'tide ');
  };
  const packed = await packLines(lines());
  expect(packed.length).toBeLessThan(1_000_000);
  const all = await unpack(packed);
  expect([all.length, all[49_999]?.slice(0, 10)]).toEqual([50_000, 'line 49999']);
});

it('fails at what is cut or no such thing', async () => {
  const whole = await packLines(['one', 'two', 'three']);
  await expect(unpack(whole.subarray(0, whole.length - 9))).rejects.toThrow();
  await expect(unpack(Buffer.from('no archive'))).rejects.toThrow();
  expect(await unpack(gzipSync('one\ntwo'))).toEqual(['one', 'two']);
});
