import { formatDuration } from '../../caching/duration.js';
import { nameRule } from '../naming-context.js';

export const firstLook = nameRule(
  {
    name: 'first-look',
    level: 'note',
    explain:
      'The name is right, and nothing was seen of it before: whether it was changed a minute ago, and how long others hold what was there, nobody can see any more.',
    example: 'the first `fenestra domain check` of a project comes after the move',
    fix: 'Name the servers of before with --was, or wait for as long as the TTLs are now.',
  },
  function* ({ facts, lookedFirst }) {
    if (lookedFirst === undefined) return;
    yield {
      message: `nothing was seen of ${facts.name} before; if it was changed just now, others may hold what was there for ${formatDuration(lookedFirst)} or as long as its TTLs were`,
      fix: 'name the servers of before: fenestra domain check --was NAME,NAME; what is seen from now on is kept in mind',
      about: facts.name,
    };
  },
);
