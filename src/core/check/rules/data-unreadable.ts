import { releaseRule } from '../rule.js';

export const dataUnreadable = releaseRule(
  {
    name: 'data-unreadable',
    level: 'error',
    explain: 'A web manifest, feed or sitemap does not parse, so whoever asks for it ignores it whole.',
    example: 'site.webmanifest with a comma too many',
    fix: 'Correct it at the line that is named.',
  },
  function* ({ faults }) {
    for (const { key, line, what } of faults)
      yield { key, line, message: `does not parse: ${what}`, fix: `correct it near line ${line}` };
  },
);
