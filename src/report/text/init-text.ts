/** What `init` has made, for a terminal. */
import { countOf } from '../../core/words/counts.js';
import type { Paint } from './paint.js';

interface Proposal {
  readonly patterns: readonly string[];
  readonly saves?: { readonly now: number; readonly versioned: number };
}

/** What names with a hash save. */
const describeSaving = ({ saves }: Proposal): string =>
  saves === undefined || saves.now === saves.versioned
    ? 'what pages load is kept for good, and asked for once'
    : `on a second visit the home page makes ${saves.versioned === 1 ? '1 request' : `${saves.versioned} requests`}, not ${saves.now}`;

/** The question for the addresses of an application. */
export const APP_PATHS =
  'This looks like an application of one page. Which addresses does it answer itself (patterns, or none)?';

/** The question whether to take them. */
export const describeProposal = (proposal: Proposal): string =>
  `Give what pages load names with a hash (${proposal.patterns.join(', ')})? ${describeSaving(proposal).replace(/^./, (letter) => letter.toUpperCase())}.`;

export const formatStarted = (
  {
    adopted,
    siteAsWritten,
    keys,
    made,
    index,
    error,
    appPaths,
    bucket,
    versioned,
  }: {
    readonly adopted: boolean;
    readonly siteAsWritten: string;
    readonly keys: readonly string[];
    readonly made: readonly string[];
    readonly index: string;
    readonly error: string | undefined;
    readonly appPaths?: readonly string[];
    readonly bucket: string;
    readonly versioned?: Proposal & { readonly isTaken: boolean };
  },
  config: string,
  paint: Paint,
): string =>
  [
    adopted
      ? `Adopted ${paint.strong(siteAsWritten)} with ${countOf(keys.length, 'file')}.`
      : `Started a small site in ${paint.strong(siteAsWritten)}: ${made.join(', ')}.`,
    `  index document   ${keys.includes(index) ? index : `${index} ${paint.warn('(not there yet)')}`}`,
    `  error document   ${error ?? (appPaths ? 'none: the app shows what is a mistake' : paint.warn('none found: a wrong address will show a bare page'))}`,
    ...(appPaths
      ? [`  application      ${index} answers for ${appPaths.join(', ')}, but for files that are missing`]
      : []),
    `  bucket           ${bucket}`,
    ...(versioned
      ? [
          `  versioned names  ${versioned.isTaken ? versioned.patterns.join(', ') : `proposed in the config: ${describeSaving(versioned)}`}`,
        ]
      : []),
    `Wrote ${paint.strong(config)}. Next: ${paint.command('survey')}, then ${paint.command('publish')}.`,
  ].join('\n');
