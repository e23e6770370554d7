/** Advice as the line to write, and what it risks. */
import { formatDuration, YEAR } from '../../core/caching/duration.js';
import type { Advice } from '../../core/visiting/advice.js';
import { countOf } from '../../core/words/counts.js';
import { roughly } from './request-reason-text.js';

/** The line for the config: under `assign`, or the setting that gives names with a hash, under which it is kept for good. */
export function adviceLine({ matching, fresh, risk }: Advice): string {
  if (risk.kind === 'needs-name')
    return `versioned: [${JSON.stringify('to' in matching ? matching.to : (ENDINGS[matching.type] ?? '**'))}]`;
  const selector =
    'type' in matching ? `type: ${JSON.stringify(matching.type)}` : `to: ${JSON.stringify(matching.to)}`;
  return `- { ${selector}, cache: ${fresh === YEAR ? 'forever' : formatDuration(fresh)} }`;
}

const ENDINGS: Readonly<Record<string, string>> = {
  'text/css': '*.css',
  'text/javascript': '*.{js,mjs}',
};

export function describeRisk({ risk, fresh }: Advice): string {
  const long = fresh === YEAR ? 'a year' : formatDuration(fresh);
  switch (risk.kind) {
    case 'named-by-content':
      return 'none: their names change with their bytes';
    case 'named-by-hand':
      return 'none as long as each change of their bytes gets a new version in their names or addresses';
    case 'unchanged':
      return `when they change, visitors may keep the old ones for ${long}; they have not in ${countOf(risk.releases, 'release')} over ${roughly(risk.span)}`;
    case 'changes':
      return `when they change, visitors may keep the old ones for ${long}; they did in ${risk.changed} of ${countOf(risk.releases, 'release')}, on average every ${roughly(risk.every)}`;
    case 'unknown':
      return `when they change, visitors may keep the old ones for ${long}; how often they do is not known yet`;
    case 'needs-name':
      return 'none: they get names with a content hash, which change with them, and keep their plain names too';
  }
}
