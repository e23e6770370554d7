/** The small site that a store is tried with. */
import { NEW_BUCKET_SETTINGS, type BucketSettings } from '../../core/hosting/bucket-view.js';
import type { Site } from '../../stores/contract/kit.js';

/** A site whose pages may read it. */
export const ORIGIN = 'https://app.mill.example';
const page = (text: string): string => `<!doctype html><html lang="en"><title>${text}</title><p>${text}`;
/** The page of a wrong address. */
export const WRONG = page('not here');
export const LABELS = { 'Content-Type': 'text/html; charset=utf-8', 'Cache-Control': 'no-cache' };
const FRONT = page('home');
/** What shows that visitors get something. */
export const HOME = { key: 'index.html', size: FRONT.length };
export const SITE: Site = {
  'index.html': { text: FRONT, headers: LABELS },
  'not-found.html': { text: WRONG, headers: LABELS },
  'visit/index.html': { text: page('visit'), headers: LABELS },
  'data/all.bin': {
    text: 'x'.repeat(20_000),
    headers: {
      'Content-Type': 'application/octet-stream',
      'Cache-Control': 'max-age=3600',
      'Content-Disposition': 'attachment; filename="all.bin"',
      'Content-Language': 'en',
      Expires: 'Thu, 01 Jan 2037 00:00:00 GMT',
    },
  },
};
export const SETTINGS: BucketSettings = {
  ...NEW_BUCKET_SETTINGS,
  documents: { index: 'index.html', error: 'not-found.html' },
  sharing: { origins: [ORIGIN], expose: [], keptFor: null },
};
