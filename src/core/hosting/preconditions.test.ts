import { expect, test } from 'vitest';
import { decidePreconditions, ifRangeHolds, type RequestHeaders } from './preconditions.js';

const ETAG = '"mill"';
const NOW = 'Sun, 01 Nov 2026 12:00:00 GMT';
const BEFORE = 'Sun, 01 Nov 2026 11:59:59 GMT';
const own = { etag: ETAG, lastModified: Date.parse(NOW) };

test.each<[RequestHeaders, string]>([
  [{}, 'go-on'],
  [{ 'if-match': ETAG }, 'go-on'],
  [{ 'if-match': '*' }, 'go-on'],
  [{ 'if-match': '"x", "mill"' }, 'go-on'],
  [{ 'if-match': ['"x"', '"mill"'] }, 'go-on'],
  [{ 'if-match': 'W/"mill"' }, 'failed If-Match'],
  [{ 'if-match': '"x"' }, 'failed If-Match'],
  [{ 'if-match': ETAG, 'if-unmodified-since': BEFORE }, 'go-on'],
  [{ 'if-unmodified-since': BEFORE }, 'failed If-Unmodified-Since'],
  [{ 'if-unmodified-since': NOW }, 'go-on'],
  [{ 'if-unmodified-since': 'yesterday' }, 'go-on'],
  [{ 'if-none-match': ETAG }, 'not-modified If-None-Match'],
  [{ 'if-none-match': 'W/"mill"' }, 'not-modified If-None-Match'],
  [{ 'if-none-match': 'mill' }, 'go-on'],
  [{ 'if-none-match': '"x"', 'if-modified-since': NOW }, 'go-on'],
  [{ 'if-modified-since': NOW }, 'not-modified If-Modified-Since'],
  [{ 'if-modified-since': BEFORE }, 'go-on'],
  [{ 'if-modified-since': '' }, 'go-on'],
])('%j', (headers, verdict) => {
  const { outcome, field } = decidePreconditions(headers, own);
  expect([outcome, field].filter(Boolean).join(' ')).toBe(verdict);
});

test.each<[string | undefined, boolean]>([
  [undefined, true],
  [ETAG, true],
  ['"x"', false],
  ['W/"mill"', false],
  [NOW, true],
  [BEFORE, false],
  ['nonsense', false],
])('If-Range %s holds: %s', (value, holds) => {
  expect(ifRangeHolds({ 'if-range': value }, own)).toBe(holds);
});
