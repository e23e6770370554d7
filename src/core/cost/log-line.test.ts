import { expect, test } from 'vitest';
import { parseLogLine } from './log-line.js';

const read = (line: string): unknown => {
  const bytes = Buffer.from(line);
  return parseLogLine(bytes, 0, bytes.length);
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

test.each([
  ['10/Oct/2026:13:55:36 +0000', '2026-10-10T13:55:36Z'],
  ['10/Oct/2026:13:55:36 +0230', '2026-10-10T11:25:36Z'],
  ['01/Jan/2027:00:00:00 -0500', '2027-01-01T05:00:00Z'],
  ['29/Feb/2028:23:59:60 +0000', '2028-03-01T00:00:00Z'],
  ['31/Dec/1999:23:59:59 +0100', '1999-12-31T22:59:59Z'],
])('%s is a moment', (written, moment) => {
  expect(read(`1.2.3.4 - - [${written}] "GET /a.css HTTP/1.1" 200 5`)).toMatchObject({
    at: Date.parse(moment),
  });
});

test.each([
  '31/Feb/2026:13:55:36 +0000',
  '00/Oct/2026:13:55:36 +0000',
  '10/Okt/2026:13:55:36 +0000',
  '10/Oct/2026:24:55:36 +0000',
  '10/Oct/2026:13:55:36 ~0000',
  '10/Oct/2026:13:55:3',
  '1_/Oct/2026:13:55:36 +0000',
  '',
])('%s is none', (written) => {
  expect(read(`1.2.3.4 - - [${written}] "GET /a.css HTTP/1.1" 200 5`)).toMatchObject({
    status: 200,
    at: NaN,
  });
});

test.each([
  ['"-" "Mozilla/5.0 (X11; Linux x86_64) Gecko/20100101"', false],
  ['"-" "millbot/1.0 (+http://mill.example/bot)"', true],
  ['"-" "Wendle-Spider/2"\r', true],
  ['"-" "Seen (https://mill.example/)"', true],
  ['"https://www.mill.example/robots" "Mozilla/5.0"', false],
  ['', false],
])('%s says that it is a program: %s', (more, isRobot) => {
  expect(read(`1.2.3.4 - - [10/Oct/2026:13:55:36 +0000] "GET / HTTP/1.1" 200 5 ${more}`)).toMatchObject({
    isRobot,
  });
});
