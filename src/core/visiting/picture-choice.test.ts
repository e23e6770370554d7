import { expect, test } from 'vitest';
import { chooseCandidate, readCandidates, widthOf } from './picture-choice.js';
import { DEFAULT_SCREEN } from './screen.js';

const FOUR = 'a 400w, b 800w, c 1280w, d 2560w';

test.each([
  [FOUR, '50vw', 'b'],
  [FOUR, '100vw', 'c'],
  [FOUR, undefined, 'c'],
  [FOUR, '(max-width: 600px) 100vw, 300px', 'a'],
  [FOUR, '(min-width: 600px) 100vw, 300px', 'c'],
  [FOUR, 'calc(100vw - 480px)', 'b'],
  [FOUR, 'min(100vw, 20em)', 'a'],
  [FOUR, 'clamp(100px, 200vw, 900px)', 'c'],
  [FOUR, '(min-width: 60em) calc((100vw - 2rem) / 2), 100vw', 'b'],
  ['a 800w, b 1600w', '100vw', 'b'],
  ['a 400w, b 800w', '100vw', 'b'],
  ['a 0.9x, b 1x, c 3x', undefined, 'b'],
  ['a 0.9x, b 3x', undefined, 'b'],
  ['a 0.5x, b 0.7x', undefined, 'b'],
  ['a', undefined, 'a'],
  ['data:image/png;base64,AAAA 1x, b 2x', undefined, 'data:image/png;base64,AAAA'],
  ['a 1q, b 2x', undefined, 'b'],
])('of "%s" with sizes %s a browser takes %s', (srcset, sizes, url) => {
  expect(chooseCandidate(readCandidates(srcset), widthOf(sizes, DEFAULT_SCREEN) ?? 0, DEFAULT_SCREEN)).toBe(
    url,
  );
});

test('twice the pixels take the larger one; what only the layout knows is not known', () => {
  expect(chooseCandidate(readCandidates('a 1x, b 2x, c 3x'), 100, { ...DEFAULT_SCREEN, density: 2 })).toBe(
    'b',
  );
  expect(widthOf('auto', DEFAULT_SCREEN)).toBeUndefined();
});
