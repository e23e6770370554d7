import { expect, test } from 'vitest';
import { NEW_BUCKET_SETTINGS } from './bucket-view.js';
import { answerBelow, answerOutside, targetBelow } from './below-path.js';

const PLACE = '/v1/AUTH_mill/site/';

test.each([
  ['/v1/AUTH_mill/site/', '/'],
  ['/v1/AUTH_mill/site/visit/?a=b', '/visit/?a=b'],
  ['/v1/AUTH_mill/site//visit', '//visit'],
  ['http://mill.example/v1/AUTH_mill/site/visit', 'http://mill.example/visit'],
  ['/v1/AUTH_mill/site', undefined],
  ['/v1/AUTH_mill/site2/', undefined],
  ['/visit/', undefined],
  ['/?/v1/AUTH_mill/site/', undefined],
  ['*', undefined],
])('%s is %s of the bucket', (target, inside) => {
  expect(targetBelow(target, PLACE)).toBe(inside);
});

test.each([
  ['/visit/?a=b', '/v1/AUTH_mill/site/visit/?a=b'],
  ['http://mill.example/visit/', 'http://mill.example/v1/AUTH_mill/site/visit/'],
  ['http://other.example/visit/', 'http://other.example/visit/'],
  ['//other.example/visit/', '//other.example/visit/'],
])('a redirect to %s leads to %s', (location, whole) => {
  const answer = {
    status: 301,
    headers: ['Location', location],
    body: { kind: 'none' },
    reason: 'folder',
  } as const;
  const request = { method: 'GET', target: '/visit', headers: { host: 'mill.example' } };
  expect(answerBelow(answer, request, PLACE).headers).toEqual(['Location', whole]);
});

test('outside of it only the path itself leads into it', () => {
  const view = {
    name: 'mill',
    access: 'open',
    release: 1,
    settings: NEW_BUCKET_SETTINGS,
    find: () => undefined,
  } as const;
  expect(answerOutside('/v1/AUTH_mill/site?x', PLACE, view)).toMatchObject({
    status: 302,
    headers: ['Location', PLACE],
  });
  expect(answerOutside('/visit/', PLACE, view)).toMatchObject({ status: 404, reason: 'outside' });
});
