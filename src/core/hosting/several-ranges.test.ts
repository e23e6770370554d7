import { expect, test } from 'vitest';
import { makeMultipart, readRanges } from './several-ranges.js';

// Measured on a cluster, object by object.
test.each([
  ['bytes=0-3', '0-3'],
  ['bytes = 0 - 3', '0-3'],
  ['BYTES=+0-3', '0-3'],
  ['bytes=0-3,2-5', '0-3 2-5'],
  ['bytes=5-, 1-2', '5-9 1-2'],
  ['bytes=-3', '7-9'],
  ['bytes=-99', '0-9'],
  ['bytes=0-99', '0-9'],
  ['bytes=1-2,99-', '1-2'],
  ['bytes=99-', 'unsatisfiable'],
  ['bytes=-0', 'unsatisfiable'],
  [`bytes=${'0-1,'.repeat(50)}0-1`, 'unsatisfiable'],
  ['bytes=0-,0-,0-', '0-9 0-9 0-9'],
  ['bytes=0-,0-,0-,0-', 'unsatisfiable'],
  ['bytes=,0-3', 'whole'],
  ['bytes=0-3,', 'whole'],
  ['bytes=3-1', 'whole'],
  ['bytes=-', 'whole'],
  ['bytes=--1', 'whole'],
  ['bytes=0x0-3', 'whole'],
  ['bytes=0-+3', 'whole'],
  ['lines=0-3', 'whole'],
  ['', 'whole'],
])('of ten bytes %j means %s', (header, meant) => {
  const ranges = readRanges(header, 10);
  expect(
    typeof ranges === 'string' ? ranges : ranges.map(({ start, end }) => `${start}-${end}`).join(' '),
  ).toBe(meant);
});

test('a suffix of nothing is all of it', () => {
  expect(readRanges('bytes=-3', 0)).toBe('whole');
  expect(readRanges('bytes=0-', 0)).toBe('unsatisfiable');
});

test('the parts stand between lines that a browser takes apart', async () => {
  const text = 'café and scones';
  const bytes = Buffer.from(text);
  const object = { key: 'a', size: bytes.length, digest: 'ab'.repeat(32), headers: {}, since: 0 };
  const { type, length, parts } = makeMultipart(object, 'text/plain', [
    { start: 0, end: 4 },
    { start: 6, end: 8 },
  ]);
  const sent = Buffer.concat(
    parts.map((part) =>
      typeof part === 'string' ? Buffer.from(part) : bytes.subarray(part.start, part.end + 1),
    ),
  );
  expect(sent.length).toBe(length);
  // The parser of forms is another's; names make parts of them.
  const asForm = sent
    .toString('latin1')
    .replace(/Content-Type: text\/plain/g, () => `Content-Disposition: form-data; name="part"`);
  const form = await new Response(Buffer.from(asForm, 'latin1'), {
    headers: { 'content-type': type.replace('byteranges;', 'form-data; ') },
  }).formData();
  expect(form.getAll('part')).toEqual(['café', 'and']);
});
