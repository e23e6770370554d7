import { describe, expect, it } from 'vitest';
import { chance, LONGER, SEED } from '../../../test/helpers/chance.js';
import { formatHttpDate } from './http-date.js';
import { parseCache } from './policy.js';
import { writeCache } from './write-cache.js';

const headers = (control?: string, expires?: string, pragma?: string) => ({
  ...(control === undefined ? {} : { 'Cache-Control': control }),
  ...(expires === undefined ? {} : { Expires: expires }),
  ...(pragma === undefined ? {} : { Pragma: pragma }),
});

describe('cache headers as a config value', () => {
  it.each([
    [headers(), 'unset'],
    [headers('no-cache'), 'revalidate'],
    [headers('no-store'), 'never'],
    [headers('immutable, max-age=31536000'), 'forever'],
    [headers('max-age=2592000'), '30 days'],
    [headers('max-age=61'), '61 seconds'],
    [headers('max-age=0'), '0 seconds'],
    [headers('max-age=3600,PUBLIC'), { fresh: '1 hour', keptBy: 'anyone' }],
    [headers('no-cache, must-revalidate'), { fresh: 'revalidate', mustRevalidate: true }],
    [
      headers('private, max-age=60, stale-if-error=86400'),
      { keptBy: 'browser', fresh: '1 minute', ifError: '1 day' },
    ],
    [headers('no-cache="set-cookie", max-age=5'), { exceptFields: ['set-cookie'], fresh: '5 seconds' }],
    [headers('no-cache', formatHttpDate(0), 'no-cache'), { fresh: 'revalidate', http10: true }],
    [headers('max-age=60, must-understand'), { header: 'max-age=60, must-understand' }],
    [headers('max-age=99999999'), { header: 'max-age=99999999' }],
    [headers('no-store, no-cache, max-age=0'), { header: 'no-store, no-cache, max-age=0' }],
    [headers(undefined, 'Thu, 24 Dec 2026 00:00:00 GMT'), 'until 2026-12-24T00:00:00.000Z'],
    [headers(undefined, '0'), undefined],
    [headers('max-age=60', 'Thu, 24 Dec 2026 00:00:00 GMT'), undefined],
  ])('%j', (sent, value) => {
    expect(writeCache(sent)?.value).toEqual(value);
  });

  it('is what the value was that they were sent for, in what it means', () => {
    const random = chance('cache headers written');
    const pick = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)] as T;
    const some = (key: string, list: readonly unknown[]) => (random() < 0.3 ? { [key]: pick(list) } : {});
    const LENGTHS = ['1 second', '90 minutes', '61 seconds', '10 days', '1 year', '1 hour'];
    let said = 0;
    for (let round = 0; round < 2000 * LONGER; round++) {
      const given = {
        ...some('fresh', [...LENGTHS, 'revalidate', 'never', 0]),
        ...some('shared', LENGTHS),
        ...some('keptBy', ['anyone', 'browser']),
        ...some('immutable', [true]),
        ...some('mustRevalidate', [true]),
        ...some('whileRevalidating', LENGTHS),
        ...some('ifError', LENGTHS),
        ...some('noTransform', [true]),
        ...some('exceptFields', [['Set-Cookie'], ['a', 'b']]),
        ...some('http10', [true]),
      };
      const read = parseCache(given);
      if ('faults' in read) continue;
      said++;
      const written = writeCache(read.policy.headers);
      expect([SEED, given, written?.policy.headers]).toEqual([SEED, given, read.policy.headers]);
    }
    expect(said).toBeGreaterThan(100);
  });
});
