/** One line for each request that a serving session answered. */
import { headerOf } from '../../core/hosting/answer.js';
import { formatBytes } from '../../core/words/counts.js';
import { visible, type Paint } from './paint.js';

export interface LoggedRequest {
  readonly at: number;
  readonly method: string;
  readonly target: string;
  readonly bucket: string;
  readonly status: number;
  readonly reason: string;
  readonly because?: string;
  readonly bytes: number;
  readonly milliseconds: number;
  readonly complete: boolean;
  readonly headers: readonly string[];
}

const WORDS: Readonly<Record<string, string>> = {
  object: '',
  index: 'index document',
  folder: 'to the folder',
  'not-modified': 'unchanged',
  range: 'a range',
  moved: 'moved',
  'error-document': 'error document',
  closed: 'closed',
  unreadable: 'not readable',
  missing: 'missing',
  method: 'method',
  options: 'options',
};

/** Headers that `--show` can add to a line, by the word that asks for them. */
export const SHOWN_HEADERS: Readonly<Record<string, string>> = {
  type: 'Content-Type',
  cache: 'Cache-Control',
  length: 'Content-Length',
  tag: 'ETag',
  modified: 'Last-Modified',
  encoding: 'Content-Encoding',
  location: 'Location',
};

/** The last second that was asked for, and how it is written: requests come many in a second. */
const lastTime = { second: -1, text: '' };

function timeOf(at: number): string {
  const second = Math.floor(at / 1000);
  if (second !== lastTime.second) {
    lastTime.second = second;
    lastTime.text = new Date(at).toISOString().slice(11, 19);
  }
  return lastTime.text;
}

/** @param show header names to add, on a line of their own, where the answer has them */
export function formatServed(served: LoggedRequest, paint: Paint, show: readonly string[] = []): string {
  const colour = served.status < 300 ? paint.good : served.status < 400 ? paint.soft : paint.bad;
  const reason =
    served.status >= 400 ? (served.because ?? served.reason) : (WORDS[served.reason] ?? served.reason);
  const columns = [
    paint.soft(timeOf(served.at)),
    colour(String(served.status)),
    visible(served.method).padEnd(4),
    (served.bytes > 0 ? formatBytes(served.bytes) : '').padStart(8),
    paint.soft(`${served.milliseconds.toFixed(1)} ms`.padStart(9)),
    paint.soft(served.bucket),
    paint.place(visible(served.target)),
  ];
  const tail = [visible(reason), served.complete ? '' : paint.warn('cut off')]
    .filter((text) => text !== '')
    .join('  ');
  const extra = show
    .map((name) => headerOf(served.headers, name) && `${name}: ${headerOf(served.headers, name)}`)
    .filter(Boolean)
    .join(' · ');
  return `${columns.join(' ')}${tail === '' ? '' : `  ${tail}`}${extra === '' ? '' : `\n${' '.repeat(18)}${paint.soft(visible(extra))}`}`;
}
