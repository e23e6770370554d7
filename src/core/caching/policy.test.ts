import { describe, expect, test } from 'vitest';
import { parseCache } from './policy.js';

const sent = (value: unknown): unknown => {
  const result = parseCache(value);
  return 'policy' in result ? result.policy.headers : result.faults;
};

describe('values that are accepted', () => {
  test.each<[unknown, string]>([
    ['90 seconds', 'max-age=90'],
    ['1 second', 'max-age=1'],
    ['5 minutes', 'max-age=300'],
    ['1 hour', 'max-age=3600'],
    ['2 Hours', 'max-age=7200'],
    ['10 days', 'max-age=864000'],
    ['keep 10 days', 'max-age=864000'],
    ['1h30m', 'max-age=5400'],
    ['ask every time', 'no-cache'],
    ['Keep for good', 'max-age=31536000, immutable'],
    ['never store', 'no-store'],
    ['1 week', 'max-age=604800'],
    ['1 month', 'max-age=2592000'],
    ['1 year', 'max-age=31536000'],
    ['0 seconds', 'max-age=0'],
    ['1.5 hours', 'max-age=5400'],
    ['revalidate', 'no-cache'],
    ['never', 'no-store'],
    ['forever', 'max-age=31536000, immutable'],
    [{ fresh: '1 hour' }, 'max-age=3600'],
    [{ fresh: 0 }, 'max-age=0'],
    [{ fresh: 'revalidate' }, 'no-cache'],
    [{ fresh: 'never' }, 'no-store'],
    [{ fresh: '1 hour', shared: '1 day' }, 'max-age=3600, s-maxage=86400'],
    [{ fresh: '1 hour', keptBy: 'browser' }, 'private, max-age=3600'],
    [{ fresh: '1 hour', keptBy: 'anyone' }, 'public, max-age=3600'],
    [{ fresh: '1 year', immutable: true }, 'max-age=31536000, immutable'],
    [{ fresh: '1 hour', mustRevalidate: true }, 'max-age=3600, must-revalidate'],
    [{ fresh: '1 minute', whileRevalidating: '1 hour' }, 'max-age=60, stale-while-revalidate=3600'],
    [{ fresh: '1 minute', ifError: '1 day' }, 'max-age=60, stale-if-error=86400'],
    [{ fresh: '1 hour', noTransform: true }, 'max-age=3600, no-transform'],
    [{ fresh: '1 hour', exceptFields: ['Set-Cookie'] }, 'no-cache="Set-Cookie", max-age=3600'],
    [
      { fresh: '1 hour', exceptFields: ['Set-Cookie', 'X-Token'] },
      'no-cache="Set-Cookie, X-Token", max-age=3600',
    ],
    [{ keptBy: 'browser', fresh: 'revalidate' }, 'private, no-cache'],
    [{ header: 'max-age=5, x-new=1' }, 'max-age=5, x-new=1'],
  ])('%j is sent as %s', (value, header) => {
    expect(sent(value)).toEqual({ 'Cache-Control': header });
  });

  test.each<[unknown, object]>([
    ['unset', {}],
    ['until 2026-12-24', { Expires: 'Thu, 24 Dec 2026 00:00:00 GMT' }],
    ['until 2026-12-24T18:30', { Expires: 'Thu, 24 Dec 2026 18:30:00 GMT' }],
    [
      { fresh: 'revalidate', http10: true },
      { 'Cache-Control': 'no-cache', Pragma: 'no-cache', Expires: 'Thu, 01 Jan 1970 00:00:00 GMT' },
    ],
  ])('%j is sent as %j', (value, headers) => {
    expect(sent(value)).toEqual(headers);
  });
});

describe('values that are refused, with what was meant', () => {
  test.each<[unknown, RegExp, string | undefined]>([
    ['30 dayz', /"dayz" is not a unit/, '30 days'],
    ['no-store', /how the header says it/, 'never'],
    ['no-cache', /how the header says it/, 'revalidate'],
    ['max-age=60', /how the header says it/, '1 minute'],
    ['max-age=0', /how the header says it/, 'revalidate'],
    ['immutable', /how the header says it/, 'forever'],
    ['public, max-age=600', /how the header says it/, '{ header: "public, max-age=600" }'],
    ['10 dayz', /not a unit/, '10 days'],
    ['30', /no unit/, '30 seconds'],
    [3600, /no unit/, '3600 seconds'],
    ['revaliddate', /not a cache word/, 'revalidate'],
    ['forevr', /not a cache word/, 'forever'],
    ['never 10 days', /stands alone/, 'never'],
    ['-1 days', /negative/, '1 days'],
    ['2 years', /longer than a year/, '1 year'],
    ['until 2026-02-30', /date that exists/, 'until 2026-12-24'],
    ['until christmas', /date that exists/, 'until 2026-12-24'],
    ['until 24.12.2026', /date that exists/, 'until 2026-12-24'],
    [['1 hour'], /a duration, a word or a mapping/, '1 hour'],
    [true, /a duration/, '1 hour'],
    [null, /a duration/, '1 hour'],
    [{}, /empty/, 'fresh: 1 hour'],
    [{ fresh: '1 hour', stale: 1 }, /not part of a cache mapping/, undefined],
    [{ frsh: '1 hour' }, /not part/, 'fresh'],
    [{ fresh: 'never', shared: '10 days' }, /stores nothing/, undefined],
    [{ fresh: 'never', immutable: true }, /stores nothing/, undefined],
    [{ fresh: 'revalidate', immutable: true }, /keep one/, undefined],
    [{ immutable: true }, /needs a `fresh` duration/, undefined],
    [{ fresh: '1 hour', shared: '1 day', keptBy: 'browser' }, /keeps out/, undefined],
    [{ fresh: '2 years' }, /longer than a year/, '1 year'],
    [{ fresh: '1 hour', mustRevalidate: true, whileRevalidating: '1 hour' }, /forbids/, undefined],
    [{ fresh: '1 hour', mustRevalidate: true, ifError: '1 hour' }, /forbids/, undefined],
    [{ fresh: '1 hour', http10: true }, /goes with/, undefined],
    [{ fresh: '1 hour', keptBy: 'proxy' }, /cannot keep/, 'browser'],
    [{ fresh: '1 hour', exceptFields: 'Set-Cookie' }, /lists header names/, '[Set-Cookie]'],
    [{ fresh: '1 hour', immutable: 'yes' }, /true or false/, 'true'],
    [{ header: '' }, /text of a Cache-Control/, undefined],
    [{ header: 'a\nb' }, /visible ASCII/, undefined],
    [{ header: 'x', fresh: '1 hour' }, /stands alone/, undefined],
  ])('%j', (value, message, becomes) => {
    const result = parseCache(value);
    if ('policy' in result) throw new Error('was accepted');
    expect(result.faults[0]?.fault).toMatch(message);
    expect(result.faults[0]?.becomes).toBe(becomes);
  });

  test('all faults of a mapping come at once', () => {
    expect(sent({ fresh: '3 dayz', shared: 'x', keptBy: 'me', colour: 1 })).toHaveLength(4);
  });
});
