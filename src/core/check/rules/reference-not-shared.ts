import { linkRule } from '../rule.js';

export const referenceNotShared = linkRule(
  {
    name: 'reference-not-shared',
    level: 'error',
    explain:
      'A page loads a font, a module, or something with `crossorigin` from another bucket, and that bucket is not shared with this site: browsers ask for it and throw it away.',
    example:
      '@font-face { src: url("https://assets.example/mill.woff2") } where that bucket has no sharedWith',
    fix: 'Share the other bucket with this site (sharedWith), or publish a copy here.',
  },
  ({ problem }) => problem === 'not-shared',
  ({ raw, refusal }) => ({
    message: `browsers refuse "${raw}": ${refusal?.because ?? ''}`,
    fix: refusal?.fix ?? '',
  }),
);
