import { expect, test } from 'vitest';
import { matchesMedia } from './media-query.js';
import { DEFAULT_SCREEN, lengthOf } from './screen.js';

test.each([
  ['', true],
  ['all', true],
  ['screen', true],
  ['print', false],
  ['not print', true],
  ['not screen', false],
  ['only screen and (min-width: 600px)', true],
  ['screen and (max-width: 600px)', false],
  ['print, (min-width: 80em)', true],
  ['(min-width: 1281px)', false],
  ['(width >= 600px)', true],
  ['(400px <= width < 1280px)', false],
  ['(400px <= width <= 1280px)', true],
  ['(600px > width)', false],
  ['(prefers-color-scheme: dark)', false],
  ['(prefers-color-scheme: light)', true],
  ['not (prefers-color-scheme: dark)', true],
  ['(prefers-reduced-motion)', false],
  ['(hover) and (pointer: fine)', true],
  ['(orientation: portrait)', false],
  ['(min-resolution: 2dppx)', false],
  ['(-webkit-min-device-pixel-ratio: 1)', true],
  ['(min-aspect-ratio: 16/9)', false],
  ['((min-width: 100px) and (max-width: 200px)) or (orientation: landscape)', true],
  ['(width)', true],
  ['(no-such-thing: 3)', false],
  ['not (no-such-thing: 3)', false],
  ['(min-width: 600px', false],
  ['speech', false],
])('the media query "%s" on a screen of 1280 by 800: %s', (query, holds) => {
  expect(matchesMedia(query, DEFAULT_SCREEN)).toBe(holds);
});

test.each([
  ['10px', 10],
  ['50vw', 640],
  ['2em', 32],
  ['0', 0],
  ['1in', 96],
  ['10', undefined],
  ['auto', undefined],
])('the length %s', (text, pixels) => {
  expect(lengthOf(text, DEFAULT_SCREEN)).toBe(pixels);
});
