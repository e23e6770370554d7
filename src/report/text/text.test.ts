import fc from 'fast-check';
import { describe, expect, it, test } from 'vitest';
import { countOf, formatBytes, formatCount } from '../../core/words/counts.js';
import { formatChanges, formatTotals } from './changes-text.js';
import { countFindings, extentOf, formatFindings } from './findings-text.js';
import { columns, createPaint, READABLE, shorten, visible } from './paint.js';
import { widthOf, wrapLines, wrapWords } from './wrap.js';

const paint = createPaint(0, 100);

test.each([
  [0, '0 B'],
  [999, '999 B'],
  [1000, '1.0 KB'],
  [99_499, '99.5 KB'],
  [999_499, '999 KB'],
  [1_000_000, '1.0 MB'],
  [2_147_483_648, '2.1 GB'],
])('%i bytes read as %s', (bytes, text) => {
  expect(formatBytes(bytes)).toBe(text);
});
it('counts with commas and the right ending', () => {
  expect([formatCount(30_000), countOf(1, 'object'), countOf(2, 'body', 'bodies')]).toEqual([
    '30,000',
    '1 object',
    '2 bodies',
  ]);
});

describe('text from elsewhere', () => {
  it('cannot drive the terminal, whatever it holds', () => {
    fc.assert(
      fc.property(
        fc.string({ unit: 'binary' }),
        (text) =>
          void expect(visible(text)).not.toMatch(/[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u202a-\u202e]/),
      ),
    );
    expect(visible('a\u001b[31m\u001b]0;title\u0007b\u202ec')).toBe(
      'a\\u001b[31m\\u001b]0;title\\u0007b\\u202ec',
    );
  });
  it('is cut in the middle to the length asked for', () => {
    fc.assert(
      fc.property(
        fc.string(),
        fc.integer({ min: 3, max: 40 }),
        (text, most) => void expect(shorten(text, most).length).toBeLessThanOrEqual(Math.max(most, 0)),
      ),
    );
    expect(shorten('visit/getting-here/index.html', 16)).toBe('visit/ge…ex.html');
  });
});

it('lays columns out without lines, numbers to the right', () => {
  expect(
    columns(
      [
        ['key', 'size'],
        ['a', '10 B'],
        ['longer', '9 B'],
      ],
      [1],
    ),
  ).toBe('  key     size\n  a       10 B\n  longer   9 B');
  expect(columns([])).toBe('');
});

it('breaks the widest column at words where the terminal is too narrow', () => {
  const rows = [
    ['release', 'by', 'note'],
    ['2', '\u6c34\u8eca', 'Summer hours'],
    ['1', 'mo', ''],
  ];
  expect(columns(rows, [], 29)).toBe(
    '  release  by    note\n  2        \u6c34\u8eca  Summer hours\n  1        mo',
  );
  expect(columns(rows, [], 25)).toBe(
    '  release  by    note\n  2        \u6c34\u8eca  Summer\n                 hours\n  1        mo',
  );
});

it('keeps keys whole: others wrap first, then each key has a line of its own', () => {
  const rows = [
    ['add', 'assets/bread.275a0983.png', '4 KB', 'image/png · max-age=31536000, immutable'],
    ['add', 'index.html', '1 KB', 'text/html; charset=utf-8 · no-cache'],
  ];
  expect(columns(rows, [2], 70, 1)).toBe(
    [
      '  add  assets/bread.275a0983.png  4 KB  image/png · max-age=31536000,',
      '                                        immutable',
      '  add  index.html                 1 KB  text/html; charset=utf-8 ·',
      '                                        no-cache',
    ].join('\n'),
  );
  expect(columns(rows, [2], 40, 1)).toBe(
    [
      '  assets/bread.275a0983.png',
      '    add  4 KB  image/png ·',
      '               max-age=31536000,',
      '               immutable',
      '  index.html',
      '    add  1 KB  text/html; charset=utf-8',
      '               · no-cache',
    ].join('\n'),
  );
});

it('has colours that are read on white and on black', () => {
  const levels = [0, 95, 135, 175, 215, 255];
  const linear = (value: number): number => {
    const part = value / 255;
    return part <= 0.04045 ? part / 12.92 : ((part + 0.055) / 1.055) ** 2.4;
  };
  for (const [name, number] of Object.entries(READABLE)) {
    const at = number - 16;
    const [red = 0, green = 0, blue = 0] = [at / 36, (at / 6) % 6, at % 6].map((step) =>
      linear(levels[Math.floor(step)] ?? 0),
    );
    const light = 0.2126 * red + 0.7152 * green + 0.0722 * blue;
    expect(Math.min(1.05 / (light + 0.05), (light + 0.05) / 0.05), name).toBeGreaterThan(4.3);
  }
  expect(createPaint(16, 80).place('index.html')).toBe('index.html');
  expect(createPaint(0, 80).bad('error')).toBe('error');
});

it('wraps without losing a letter or a colour, and within the width', () => {
  const colours = createPaint(256, 40);
  fc.assert(
    fc.property(
      fc.array(fc.stringMatching(/^[a-z/.-]{1,30}$/), { minLength: 1, maxLength: 12 }),
      fc.integer({ min: 6, max: 60 }),
      (words, width) => {
        const lines = wrapWords(colours.soft(words.join(' ')), width);
        for (const line of lines) expect(widthOf(line)).toBeLessThanOrEqual(width);
        const bare = lines.map((line) => line.replace(/\u001b\[\d+m/g, '')).join('');
        expect(bare.replace(/ /g, '')).toBe(words.join(''));
        for (const line of lines)
          expect(line.match(/\u001b\[2m/g)?.length).toBe(line.match(/\u001b\[22m/g)?.length);
      },
    ),
    { seed: 7 },
  );
  expect(wrapLines('  a note of many words that goes on', 20)).toBe(
    '  a note of many\n    words that goes\n    on',
  );
});

describe('findings', () => {
  const finding = (rule: string, key: string, message = 'is wrong') => ({
    rule,
    level: 'error' as const,
    key,
    message,
    fix: 'mend it',
  });
  it('that share rule and message are one entry with its first places', () => {
    const text = formatFindings(
      ['a', 'b', 'c', 'd', 'e'].map((key) => finding('r', key)),
      paint,
    );
    expect(text).toBe(
      '  error r\n    a, b, c and 2 others: is wrong\n    cure: mend it\n  --in-full lists every finding with every place',
    );
  });
  it('in full have a line for each place', () => {
    const elsewhere = [2, 3, 4].map((line) => ({ key: 'b', line }));
    const text = formatFindings([{ ...finding('r', 'a'), line: 9, elsewhere }], paint, extentOf(true));
    expect(text).toBe(
      '  error r\n    is wrong\n      a:9\n      b:2\n      b:3\n      b:4\n    cure: mend it',
    );
  });
  it('are counted by level', () => {
    expect([
      countFindings([]),
      countFindings([finding('r', 'a'), { ...finding('r', 'b'), level: 'note' }]),
    ]).toEqual(['no findings', '1 error, 1 note']);
  });
  it('beyond a dozen kinds are only counted', () => {
    expect(
      formatFindings(
        Array.from({ length: 15 }, (_, n) => finding(`r${n}`, `k${n}`, 'message')),
        paint,
      ),
    ).toContain('and 3 more kinds of findings');
  });
});

describe('changes', () => {
  const becomes = {
    size: 10,
    digest: 'd'.repeat(64),
    headers: { 'Content-Type': 'text/css', 'Cache-Control': 'no-cache' },
  };
  const add = (key: string) => ({ key, change: 'add' as const, becomes });
  it('are listed one by one when they are few, and by folder when they are many', () => {
    expect(formatChanges([add('a.css')], [], paint)).toBe('  add  a.css  10 B  text/css · no-cache');
    const many = formatChanges(
      Array.from({ length: 60 }, (_, n) => add(`f${n % 2}/x${n}.css`)),
      [],
      paint,
    );
    expect(many).toMatch(/add +30 +300 B +f0\/ +f0\/x0\.css/);
  });
  it('in full show each header as it was and becomes', () => {
    const relabel = {
      key: 'a.css',
      change: 'relabel' as const,
      was: becomes,
      becomes: { ...becomes, headers: { 'Content-Type': 'text/css' } },
    };
    expect(formatChanges([relabel], [], paint, true)).toBe(
      '  relabel a.css\n      Cache-Control  no-cache → none',
    );
  });
  it('are summed up in one line', () => {
    expect(formatTotals({ add: 1, replace: 0, relabel: 2, remove: 0, keep: 3000, bytes: 10 }, 10)).toBe(
      '1 to add, 2 to relabel, 3,000 to keep (10 B to send)',
    );
  });
});
