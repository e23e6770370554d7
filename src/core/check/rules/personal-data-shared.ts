import { isKeptByShared } from '../../caching/freshness.js';
import { looksPersonal } from '../../site/names.js';
import { objectRule } from '../rule.js';

const MANIFEST = /(?:^|\/)(?:package|package-lock|composer|bower|manifest)\.json$/i;

export const personalDataShared = objectRule(
  {
    name: 'personal-data-shared',
    level: 'warning',
    explain: 'It looks like data about people, anyone may read it, and shared caches may keep it.',
    example: 'members/list.json with `cache: 1 hour`',
    fix: 'Take it out of what is readable; where everyone may see it, allow it.',
  },
  (object, { allowed }) => {
    const { key, headers, facts } = object;
    if (!object.public || allowed(key) || !isKeptByShared(headers)) return undefined;
    const place = looksPersonal(key);
    // Whoever writes a package's manifest puts their address there for everyone.
    if (!place && (!facts.emails || MANIFEST.test(key))) return undefined;
    return {
      message: `${place ? 'its name says that it is about people' : 'it holds e-mail addresses'}, and shared caches may keep it`,
      fix: `readable: { except: [${JSON.stringify(key)}] }, or allow: [${JSON.stringify(key)}] where everyone may see it`,
    };
  },
);
