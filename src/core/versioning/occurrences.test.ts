import fc from 'fast-check';
import { expect, it, test } from 'vitest';
import { NameOccurrences } from './occurrences.js';

const NAMES = ['p.png', 'wheel.svg', 'caf\u00e9.js', 'a b.css', 'x'];
const occurring = (bytes: Buffer, text?: string): string[] => {
  const found = new Set<number>();
  const names = new NameOccurrences(NAMES);
  names.findPlain(bytes, (name) => found.add(name));
  if (text !== undefined) names.findInText(text, (name) => found.add(name));
  return [...found].map((name) => NAMES[name] ?? '').sort();
};

test.each<[text: string, names: string[]]>([
  ['a/p.png', ['p.png']],
  ['"p.png"', ['p.png']],
  ['dir-p.png?v=1', ['p.png']],
  ['mip.png and p.pngs', []],
  ['a\\/p.png', ['p.png']],
  ['"a\\x2fp.png"', ['p.png']],
  ['"\\u0070.png"', ['p.png']],
  ['"\\u{70}.png"', ['p.png']],
  ['"p.\\\npng"', ['p.png']],
  ['url(a/p\\2e png)', ['p.png']],
  ['url(a/\\70 .png)', ['p.png']],
  ['a/p&#46;png', ['p.png']],
  ['a/p&period;png', ['p.png']],
  ['a%2Fp.png', ['p.png']],
  ['a/%70%2epng', ['p.png']],
  ['a/%26%2346;', []],
  ['&quot;a\\/p.png&quot;', ['p.png']],
  ['caf%C3%A9.js caf\u00e9.js', ['caf\u00e9.js']],
  ['one two\n<a href="x/p&#46;png">', ['p.png', 'x']],
  ['a%20b.css', ['a b.css']],
  ['a/wheel.svg#rim p.png', ['p.png', 'wheel.svg']],
  [' x ', ['x']],
  ['xx', []],
])('%j holds %j', (text, names) => {
  expect(occurring(Buffer.from(text), text)).toEqual(names);
});

test.each<[what: string, bytes: Buffer, names: string[]]>([
  ['UTF-16, low byte first', Buffer.from('a/p.png;', 'utf16le'), ['p.png']],
  ['UTF-16, high byte first', Buffer.from('a/p.png;', 'utf16le').swap16(), ['p.png']],
  ['UTF-16 at an odd place', Buffer.concat([Buffer.from([1]), Buffer.from('/p.png', 'utf16le')]), ['p.png']],
  ['a longer word in UTF-16', Buffer.from('mip.png', 'utf16le'), []],
  [
    'other bytes around',
    Buffer.concat([Buffer.from([0, 255]), Buffer.from('p.png'), Buffer.from([0])]),
    ['p.png'],
  ],
])('%s', (_what, bytes, names) => {
  expect(occurring(bytes)).toEqual(names);
});

it('finds what a search for each name by itself finds', () => {
  const letters = fc.constantFrom('a', 'b', '.', '/', '-', '\u00e9');
  const words = fc.array(fc.string({ unit: letters, minLength: 1, maxLength: 5 }), {
    minLength: 1,
    maxLength: 8,
  });
  fc.assert(
    fc.property(words, fc.string({ unit: letters, maxLength: 60 }), (names, text) => {
      const all = [...new Set(names)];
      const found = new Set<number>();
      new NameOccurrences(all).findPlain(Buffer.from(text), (name) => found.add(name));
      const isWord = (character: string | undefined): boolean =>
        character !== undefined && /\w/.test(character);
      const expected = all.filter((name) => {
        for (let at = text.indexOf(name); at >= 0; at = text.indexOf(name, at + 1))
          if (!isWord(text[at - 1]) && !isWord(text[at + name.length])) return true;
        return false;
      });
      expect([...found].map((name) => all[name]).sort()).toEqual(expected.sort());
    }),
    { numRuns: 3000 },
  );
});
