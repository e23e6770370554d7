import { describe, expect, it, test } from 'vitest';
import { parseCache } from '../caching/policy.js';
import { createCascade, type AssignRule } from './cascade.js';

const cache = (value: unknown) => {
  const result = parseCache(value);
  if ('faults' in result) throw new Error(JSON.stringify(result.faults));
  return result.policy;
};
const cascade = (rules: Omit<AssignRule, 'number' | 'line'>[], otherwise?: string) =>
  createCascade({
    file: 'fenestra.yaml',
    rules: rules.map((rule, at) => ({ number: at + 1, line: at + 10, ...rule })),
    ...(otherwise === undefined ? {} : { otherwise: cache(otherwise) }),
  });
const headers = (key: string, ...args: Parameters<typeof cascade>) => cascade(...args).decide(key).headers;

describe('defaults', () => {
  test.each([
    ['index.html', 'no-cache'],
    ['feed.atom', 'no-cache'],
    ['site.webmanifest', 'no-cache'],
    ['data.json', 'no-cache'],
    ['app.css', 'no-cache'],
    ['app.js', 'no-cache'],
    ['app.3f9c2a7b.js', 'max-age=31536000, immutable'],
    ['wheel-Dk3xQz9a.png', 'max-age=31536000, immutable'],
    ['page.3f9c2a7b.html', 'no-cache'],
    ['photo.jpg', 'max-age=3600'],
    ['noending', 'max-age=3600'],
  ])('%s is kept as %s', (key, header) => {
    expect(headers(key, [])['Cache-Control']).toBe(header);
  });
  it('`otherwise` takes the place of the last default alone', () => {
    expect(headers('photo.jpg', [], '2 hours')['Cache-Control']).toBe('max-age=7200');
    expect(headers('index.html', [], '2 hours')['Cache-Control']).toBe('no-cache');
  });
});

describe('rules', () => {
  it('gives each property to the latest match', () => {
    const rules = [
      { type: ['image/*'], cache: cache('30 days'), language: 'en' },
      { to: ['posters/**'], cache: cache('10 days') },
    ];
    expect(headers('posters/a.png', rules)).toMatchObject({
      'Cache-Control': 'max-age=864000',
      'Content-Language': 'en',
    });
  });
  it('settles the type by path first, then lets rules by type take part', () => {
    const rules = [
      { type: ['image/*'], cache: cache('30 days') },
      { to: ['*.bin'], contentType: 'image/x-scan' },
    ];
    expect(headers('scan.bin', rules)).toMatchObject({
      'Content-Type': 'image/x-scan',
      'Cache-Control': 'max-age=2592000',
    });
  });
  it('needs both when a rule has both `to` and `type`', () => {
    const rules = [{ to: ['a/**'], type: ['image/*'], cache: cache('never') }];
    expect(headers('a/x.png', rules)['Cache-Control']).toBe('no-store');
    expect(headers('a/x.css', rules)['Cache-Control']).toBe('no-cache');
    expect(headers('b/x.png', rules)['Cache-Control']).toBe('max-age=3600');
  });
  it('lets `ifUnset` win over the last default alone, wherever it stands', () => {
    const rules = [{ to: ['**'], cache: cache('5 minutes'), ifUnset: true }];
    expect(headers('photo.jpg', rules, '2 hours')['Cache-Control']).toBe('max-age=300');
    expect(headers('index.html', rules)['Cache-Control']).toBe('no-cache');
    expect(headers('photo.jpg', [{ to: ['*.jpg'], cache: cache('1 day') }, ...rules])['Cache-Control']).toBe(
      'max-age=86400',
    );
    expect(headers('x.odd', [{ to: ['**'], contentType: 'text/x-odd', ifUnset: true }])['Content-Type']).toBe(
      'text/x-odd',
    );
    expect(
      headers('x.html', [{ to: ['**'], contentType: 'text/x-odd', ifUnset: true }])['Content-Type'],
    ).toBe('text/html; charset=utf-8');
  });
  it('`unset` sends no cache header', () => {
    expect(headers('a.png', [{ to: ['*.png'], cache: cache('unset') }])).toEqual({
      'Content-Type': 'image/png',
    });
  });
  it('labels compressed files by what is inside, and svgz by itself', () => {
    expect(headers('app.js.gz', [{ to: ['*.js.gz'], encoding: 'gzip' }])).toMatchObject({
      'Content-Type': 'text/javascript; charset=utf-8',
      'Content-Encoding': 'gzip',
    });
    expect(headers('app.js.gz', [])).toMatchObject({ 'Content-Type': 'application/gzip' });
    expect(headers('a.svgz', [])).toMatchObject({
      'Content-Type': 'image/svg+xml; charset=utf-8',
      'Content-Encoding': 'gzip',
    });
  });
  it('explains who decided, who lost and who yielded, and makes equal decisions one object', () => {
    const made = cascade([
      { to: ['*.png'], cache: cache('1 day') },
      { to: ['a/**'], cache: cache('2 days') },
      { to: ['**'], cache: cache('never'), ifUnset: true },
    ]);
    expect(
      made
        .explain('a/x.png')
        .filter(({ property }) => property === 'cache')
        .map(({ by, outcome }) => [by, outcome]),
    ).toEqual([
      ['default: the rest', 'overridden'],
      ['rule 1, line 10', 'overridden'],
      ['rule 2, line 11', 'decided'],
      ['rule 3, line 12', 'yielded'],
    ]);
    expect(made.decide('a/x.png')).toBe(made.decide('a/y.png'));
    expect(made.matching('b.png')).toEqual([1, 3]);
  });
});
