import { expect, test } from 'vitest';
import { parseLogLine } from './log-line.js';

const read = (line: string): unknown => {
  const bytes = Buffer.from(line);
  return parseLogLine(bytes, 0, bytes.length, true);
};
const common = (size: string): string =>
  `1.2.3.4 - - [10/Oct/2026:13:55:36 +0000] "GET /a.css HTTP/1.1" 200 ${size} "-" "x"`;
const json = (more: string): string => `{"method":"GET","target":"/a.css","status":200,${more}}`;

test.each<[line: string, bytes: number]>([
  [common('512'), 512],
  [common('-'), 0],
  [common('0'), 0],
  [json('"bytes":512'), 512],
  [json('"bytes":"512"'), 512],
  [json('"at":"never"'), 0],
])('%s is read', (line, bytes) => {
  expect(read(line)).toMatchObject({ method: 'GET', path: '/a.css', status: 200, bytes });
});

test.each([
  common('9'.repeat(400)),
  common('1'.repeat(17)),
  json(`"bytes":${'9'.repeat(400)}`),
  json('"bytes":1e308'),
  json('"bytes":5.5'),
  json('"bytes":-1'),
  json('"bytes":{}'),
  '{"method":"GET","target":"/a.css","status":1e9}',
  '{"method":"GET","target":"/a.css","status":200.5}',
  '{"method":7,"target":"/a.css","status":200}',
  'null',
  '{}',
])('%s is no request', (line) => {
  expect(read(line)).toBeUndefined();
});
