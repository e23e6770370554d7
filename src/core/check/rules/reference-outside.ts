import { linkRule } from '../rule.js';

export const referenceOutside = linkRule(
  {
    name: 'reference-outside',
    level: 'error',
    explain:
      'The endpoint serves the bucket below a path of its host, and a reference begins with a slash: a browser asks the root of the host, where the site is not.',
    example: '<link href="/styles/mill.css"> at https://store.example/v1/account/bucket/',
    fix: 'Write it relative to the page (../styles/mill.css), or give the site a host name of its own.',
  },
  ({ problem: trouble }) => trouble === 'outside',
  ({ raw, from, path }) => ({
    message: `"${raw}" leads out of the site, which does not lie at the root of its host`,
    fix: `write ${relativeTo(from, path)}, or give the site a host name of its own`,
  }),
);

/** @param from the key of the page @param path an address of the site, percent-encoded */
function relativeTo(from: string, path: string): string {
  const here = from.split('/').slice(0, -1).map(encodeURIComponent);
  const there = path.slice(1).split('/');
  let shared = 0;
  while (shared < here.length && shared < there.length - 1 && here[shared] === there[shared]) shared++;
  const up = '../'.repeat(here.length - shared);
  return up + there.slice(shared).join('/') || './';
}
