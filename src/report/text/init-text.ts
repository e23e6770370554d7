/** What `init` has made, for a terminal. */
import type { Paint } from './paint.js';

export const formatStarted = (
  {
    adopted,
    siteAsWritten,
    keys,
    made,
    index,
    error,
    bucket,
  }: {
    readonly adopted: boolean;
    readonly siteAsWritten: string;
    readonly keys: readonly string[];
    readonly made: readonly string[];
    readonly index: string;
    readonly error: string | undefined;
    readonly bucket: string;
  },
  config: string,
  paint: Paint,
): string =>
  [
    adopted
      ? `Adopted ${paint.strong(siteAsWritten)} with ${keys.length} files.`
      : `Started a small site in ${paint.strong(siteAsWritten)}: ${made.join(', ')}.`,
    `  index document   ${keys.includes(index) ? index : `${index} ${paint.warn('(not there yet)')}`}`,
    `  error document   ${error ?? paint.warn('none found: a wrong address will show a bare page')}`,
    `  bucket           ${bucket}`,
    `Wrote ${paint.strong(config)}. Next: ${paint.command('survey')}, then ${paint.command('publish')}.`,
  ].join('\n');
