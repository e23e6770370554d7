/** One line for each request that a serving session answered. */
import { headerOf } from '../../core/hosting/answer.js';
import { formatBytes } from '../../core/site/format-bytes.js';
import { shorten, visible, type Paint } from './paint.js';

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

/** @param show header names to add */
export function formatServed(served: LoggedRequest, paint: Paint, show: readonly string[] = []): string {
  const status = String(served.status);
  const colour = served.status < 300 ? paint.good : served.status < 400 ? paint.soft : paint.bad;
  const reason =
    served.status >= 400 ? (served.because ?? served.reason) : (WORDS[served.reason] ?? served.reason);
  const cut = served.complete ? '' : paint.warn(' cut off');
  const extra = show.map((name) => `${name}: ${headerOf(served.headers, name) ?? 'none'}`).join(' · ');
  const target = shorten(visible(served.target), Math.max(20, paint.width - 66));
  return (
    `${paint.soft(new Date(served.at).toISOString().slice(11, 19))} ${colour(status)} ${served.method.padEnd(4)} ${paint.soft(served.bucket)} ${target}` +
    `${served.bytes > 0 ? `  ${formatBytes(served.bytes)}` : ''}${reason === '' ? '' : `  ${visible(reason)}`}${cut}  ${paint.soft(`${served.milliseconds.toFixed(1)} ms`)}` +
    (extra === '' ? '' : `\n         ${paint.soft(visible(extra))}`)
  );
}
