/** What of a visit is exact, what is computed and what is not known, in one line that is true of just these pages. */
import { countOf } from '../words/counts.js';
import type { Unknown } from './page-load.js';

/** @param connection and viewport as they are shown */
export function describeExactness(
  { scripts, lazy, media, seen, elsewhere, elsewhereRequests, others }: Unknown,
  connection: string,
  viewport: string,
): string {
  const but = [
    ...(scripts > 0 ? [`what ${countOf(scripts, 'script')} may ask for`] : []),
    ...(lazy > 0 ? [`how near ${countOf(lazy, 'lazy picture')} ${lazy === 1 ? 'stands' : 'stand'}`] : []),
    ...(others.length > 0 ? ['what is named below as not known'] : []),
    ...(media > 0 ? [`how much of ${countOf(media, 'film')} is read`] : []),
  ];
  const known =
    seen > 0
      ? `, ${countOf(seen, 'script or lazy picture', 'scripts and lazy pictures')} as a browser was seen to ask`
      : '';
  const hosts =
    elsewhere.length > 0
      ? `; ${countOf(elsewhereRequests, 'request')} to ${countOf(elsewhere.length, 'other host')} not counted`
      : '';
  const exact = `Requests and bytes are exact${but.length > 0 ? ` but for ${listed(but)}` : ''}${known}${hosts}`;
  return `${exact}; seconds are computed for ${connection} in a window of ${viewport}.`;
}

const listed = (parts: readonly string[]): string =>
  parts.length < 2 ? parts.join('') : `${parts.slice(0, -1).join(', ')} and ${parts.at(-1) ?? ''}`;
