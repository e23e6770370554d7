import { expect, it } from 'vitest';
import { readObject } from './read-object.js';
import { decodeReadings, encodeReadings, Readings } from './readings.js';

const TEXTS = {
  a: '<!doctype html><base href="/x/"><a id=b href="/c?d#e">x</a><form method=post></form><link rel=preload as=font href="/f">',
  b: '<script type=module>import "./m.js"</script><object data="/o" type="text/html"></object><?php x ?>',
  c: '<p style="x:url(&quot;/s&quot;)"><img srcset="/1 1x, /\ud83e\udd89.png 2x">',
};
const readings = new Map(Object.entries(TEXTS).map(([id, text]) => [id, readObject('page', text)]));
readings.set('d', readObject('style', 'a{b:url(/c)}'));

it('come back as they were added, before and after they were kept', () => {
  const added = new Readings();
  for (const [id, reading] of readings) expect(added.reading(added.add(id, reading))).toEqual(reading);
  const kept = new Readings(decodeReadings(Buffer.concat(encodeReadings(added.pack()))));
  for (const [id, reading] of readings) expect(kept.reading(kept.find(id) ?? -1)).toEqual(reading);
  expect([kept.find('none'), kept.hasNew]).toEqual([undefined, false]);
  kept.add('e', readObject('page', '<a href="/c?d#e">'));
  expect(kept.reading(kept.find('e') ?? -1).references).toMatchObject([{ raw: '/c?d#e' }]);
});

it('are let go when they are of no use for a while', () => {
  let now = new Readings();
  for (const [id, reading] of readings) now.add(id, reading);
  const times = ['a', 'b', 'c', 'd'].map(() => {
    now = new Readings(now.pack());
    now.find('a');
    return [...readings.keys()].filter((id) => new Readings(now.pack()).find(id) !== undefined).length;
  });
  expect(times).toEqual([4, 4, 1, 1]);
});
