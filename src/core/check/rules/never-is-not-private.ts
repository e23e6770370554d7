import { isNeverStored } from '../../caching/freshness.js';
import { looksPersonal } from '../../site/names.js';
import { objectRule } from '../rule.js';

export const neverIsNotPrivate = objectRule(
  {
    name: 'never-is-not-private',
    level: 'warning',
    explain: '`never` keeps it out of caches, not from readers: anyone who knows the address may read it.',
    example: 'members/list.html with `cache: never`, readable by anyone',
    fix: 'Take it out of what is readable, or allow it when everyone may see it.',
  },
  (object, { allowed }) => {
    const { key, headers, facts } = object;
    if (!object.public || allowed(key) || !isNeverStored(headers) || !(looksPersonal(key) || facts.emails))
      return undefined;
    const folder = key.includes('/') ? `${key.slice(0, key.lastIndexOf('/'))}/**` : key;
    return {
      message: 'never stored by caches, yet anyone may read it, and it looks personal',
      fix: `readable: { except: [${JSON.stringify(folder)}] }, or allow: [${JSON.stringify(folder)}]`,
    };
  },
);
