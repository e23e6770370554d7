import { expect, it } from 'vitest';
import { parse } from 'yaml';
import { replaceAssign } from './replace-assign.js';

const LINES = ['{ to: "*.css", cache: 1 day }', '{ type: image/*, cache: 30 days }'];
const HEAD = "site:   site # here\ndestinations:\n  rehearsal: {store: here,   bucket: 'wendle-mill'}\n";

it.each([
  ['none', '', '1 hour'],
  ['none, and no newline at the end', 'links:  inside', undefined],
  [
    'a block amid others',
    'assign:\n  - { to: "*.js", cache: never } # why\n  - to: x\n    cache: 1 day\n# after\nlinks:   inside\n',
    '1 hour',
  ],
  [
    'a flow, and another end',
    'otherwise: 2 hours\nassign: [ { to: "*.js", cache: never } ]\nlinks:   inside\n',
    undefined,
  ],
  [
    'a flow over lines',
    'assign: [\n  { to: "*.js", cache: never },\n]\notherwise: { fresh: 1 hour,\n  keptBy: browser }\n',
    '3 hours',
  ],
  ['nothing in it', 'assign:\nlinks:   inside\n', '1 hour'],
])('%s: all else stays as it was written', (_name, more, otherwise) => {
  const before = HEAD + more;
  const after = replaceAssign(before, { lines: LINES, otherwise });
  const was = parse(before) as Record<string, unknown>;
  delete was['otherwise'];
  expect(parse(after)).toEqual({
    ...was,
    assign: LINES.map((line) => parse(line) as unknown),
    ...(otherwise === undefined ? {} : { otherwise }),
  });
  expect(after.startsWith(HEAD)).toBe(true);
  for (const kept of ['links:   inside', '# after']) if (before.includes(kept)) expect(after).toContain(kept);
});

it('no lines, and no list', () => {
  expect(
    replaceAssign(`${HEAD}assign:\n  - { to: x, cache: 1 day }\nlinks: inside\n`, {
      lines: [],
      otherwise: undefined,
    }),
  ).toBe(`${HEAD}links: inside\n`);
});
