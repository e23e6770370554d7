import fc from 'fast-check';
import { expect, it } from 'vitest';
import type { StoredObject } from '../site/site-object.js';
import { sampleObjects } from './sample.js';

const object = (key: string, type: string): StoredObject => ({
  key,
  size: 1,
  digest: '',
  since: 0,
  headers: { 'Content-Type': type },
});
const everything = (): boolean => true;

it('takes all of a small site and, of a large one, no more than asked for, with some of every kind that fits', () => {
  const sites = fc.array(
    fc.record({
      folder: fc.constantFrom('a', 'b', 'c'),
      type: fc.constantFrom('text/html', 'image/png', 'text/css'),
    }),
    { minLength: 1, maxLength: 200 },
  );
  fc.assert(
    fc.property(sites, fc.integer({ min: 9, max: 60 }), (site, most) => {
      const objects = site.map(({ folder, type }, n) => object(`${folder}/${n}`, type));
      const sample = sampleObjects(objects, most, everything);
      const kind = ({ key, headers }: StoredObject): string =>
        `${key[0] ?? ''} ${headers['Content-Type'] ?? ''}`;
      const keys = sample.objects.map(({ key }) => key);
      expect(new Set(keys).size).toBe(keys.length);
      expect(keys.length).toBe(Math.min(most, objects.length));
      expect(new Set(sample.objects.map(kind))).toEqual(new Set(objects.map(kind)));
      expect([sample.of, sample.kinds]).toEqual([objects.length, new Set(objects.map(kind)).size]);
      expect(sampleObjects(objects, most, everything)).toEqual(sample);
    }),
  );
});

it('tells private objects from public ones of the same type', () => {
  const objects = Array.from({ length: 100 }, (_, n) => object(`f/${n}`, 'text/html'));
  const { kinds, objects: chosen } = sampleObjects(objects, 10, (key) => key !== 'f/50');
  expect([kinds, chosen.some(({ key }) => key === 'f/50')]).toEqual([2, true]);
});
