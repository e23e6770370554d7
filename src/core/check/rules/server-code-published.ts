import { releaseRule } from '../rule.js';

export const serverCodePublished = releaseRule(
  {
    name: 'server-code-published',
    level: 'warning',
    explain: 'A page holds code for a server to run. A bucket runs nothing: visitors get the code, or a gap.',
    example: '<!--#include virtual="/menu.html" -->',
    fix: 'Do at build time what the server did.',
  },
  function* ({ serverCode }) {
    for (const { key, line, what } of serverCode)
      yield {
        key,
        line,
        message: `holds ${what}, and a bucket runs no code`,
        fix: 'put what it would give into the page when building',
      };
  },
);
