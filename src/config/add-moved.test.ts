import { expect, it } from 'vitest';
import { parse } from 'yaml';
import { addMovedLines } from './add-moved.js';

const BASE = "site: site   # here\ndestinations:\n  rehearsal: {store: here,   bucket: 'wendle-mill'}\n";
const ENTRIES = [
  ['/a, b: {c}.html', '/x#y'],
  ['/old', '/new/'],
] as const;

it.each([
  ['nothing', ''],
  ['nothing, and no newline at the end', 'otherwise: 1 hour'],
  [
    'a block',
    'moved:\n    permanently:\n        /q: /r   # why\n        "/s": /t\n# after\notherwise: 1 hour\n',
  ],
  ['a block at the end without a newline', 'moved:\n  permanently:\n    /q: /r'],
  ['a block of the other table', 'moved:\n  temporarily:\n    /q: /r\notherwise:   1 hour\n'],
  ['flow in a block', 'moved:\n  permanently: { /q: /r, "/s/*": "/t/*" }\n  temporarily: {}\n'],
  ['flow over lines', 'moved: {\n  permanently: {\n    /q: /r,\n  },\n}\notherwise: 1 hour\n'],
  ['an empty flow', 'moved: {}\notherwise:  1 hour\n'],
  ['an empty table', 'moved:\n  permanently: {}\notherwise:  1 hour\n'],
])('%s: what was there stays as it was written', (_name, more) => {
  const before = BASE + more;
  const after = addMovedLines(before, ENTRIES);
  const was = parse(before) as { moved?: { permanently?: object } };
  expect(parse(after)).toEqual({
    ...was,
    moved: { ...was.moved, permanently: { ...was.moved?.permanently, ...Object.fromEntries(ENTRIES) } },
  });
  // Every line that was there is there still, but the one that a flow mapping ends on.
  const lines = new Set(after.split('\n'));
  const gone = before.split('\n').filter((line) => !lines.has(line));
  expect(gone.every((line) => line.includes('}') || line.trim() === '/q: /r,' || /\{$/.test(line))).toBe(
    true,
  );
  expect(gone.length).toBeLessThanOrEqual(2);
});

it('a value that is none is written anew', () => {
  expect(parse(addMovedLines(`${BASE}moved:\n  permanently:\n`, [['/a', '/b']]))).toMatchObject({
    moved: { permanently: { '/a': '/b' } },
  });
});
