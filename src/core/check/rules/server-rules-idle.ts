import { idleKind } from '../../site/idle-files.js';
import { siteRule } from '../rule.js';

const FIX =
  'write it in the config (assign, moved, documents, readable), or have it found: start that server on this folder and run `fenestra init --at` its address in a new folder';

export const serverRulesIdle = siteRule(
  {
    name: 'server-rules-idle',
    level: 'warning',
    explain:
      'Rules of a web server lie in the site folder, hidden ones too. A bucket reads none of them: what they say of caching, types, redirects and access holds nowhere.',
    example: '.htaccess with `ExpiresDefault "access plus 1 hour"`',
    fix: 'Write it in the config; or start that server on the folder and let `fenestra init --at` find it.',
  },
  function* ({ idle = [], objects, allowed }) {
    for (const { path, because } of idle)
      yield {
        key: path,
        message: `rules of a web server, which a bucket does not read${because === '' ? '' : `: ${because}`}`,
        fix: FIX,
      };
    for (const { key } of objects)
      if (idleKind(key) === 'server rules' && !allowed(key))
        yield {
          key,
          message: 'rules of a web server, which a bucket does not read and would publish',
          fix: `${FIX}; then take it out of the folder, or allow: [${JSON.stringify(key)}]`,
        };
  },
);
