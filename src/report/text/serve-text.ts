/** One line for each request that a serving session answered. */
import { formatClock } from '../../core/words/moments.js';
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
  app: 'page of the app',
  closed: 'closed',
  unreadable: 'not readable',
  missing: 'missing',
  method: 'method',
  options: 'options',
};

/** Headers that `--show` can add to a line, by the word that asks for them. */
export const SHOWN_HEADERS: Readonly<Record<string, readonly string[]>> = {
  type: ['Content-Type'],
  cache: ['Cache-Control', 'Expires', 'Pragma'],
  length: ['Content-Length'],
  tag: ['ETag'],
  modified: ['Last-Modified'],
  encoding: ['Content-Encoding'],
  location: ['Location'],
};

/** The last second that was asked for, and how it is written: requests come many in a second. */
const lastTime = { second: -1, text: '' };

function timeOf(at: number): string {
  const second = Math.floor(at / 1000);
  if (second !== lastTime.second) {
    lastTime.second = second;
    lastTime.text = formatClock(at);
  }
  return lastTime.text;
}

/** What a line tells besides when and how long, of an answer that many requests get alike. */
interface Told {
  readonly of: LoggedRequest;
  readonly before: string;
  readonly after: string;
}

const MAX_TOLD = 1000;
const LONG_TARGET = 500;

/**
 * Makes the line of each request; what was said of an equal answer before is not put together again.
 * @param show header names to add, on a line of their own, where the answer has them
 */
export function servedFormat(paint: Paint, show: readonly string[] = []): (served: LoggedRequest) => string {
  const told = new Map<string, Told>();
  return (served) => {
    let known = told.get(served.target);
    if (!known || !isToldAlike(known.of, served)) {
      known = { of: served, before: before(served, paint), after: after(served, paint) };
      if (told.size >= MAX_TOLD) told.clear();
      if (served.target.length <= LONG_TARGET) told.set(served.target, known);
    }
    const line = `${paint.soft(timeOf(served.at))} ${known.before} ${paint.soft(durationOf(served.milliseconds))} ${known.after}`;
    return show.length === 0 ? line : line + shownHeaders(served, paint, show);
  };
}

const isToldAlike = (a: LoggedRequest, b: LoggedRequest): boolean =>
  a.status === b.status &&
  a.bytes === b.bytes &&
  a.method === b.method &&
  a.bucket === b.bucket &&
  a.reason === b.reason &&
  a.because === b.because &&
  a.complete === b.complete;

function before({ status, method, bytes }: LoggedRequest, paint: Paint): string {
  const colour = status < 300 ? paint.good : status < 400 ? paint.soft : paint.bad;
  const size = bytes > 0 ? formatBytes(bytes) : '';
  return `${colour(String(status))} ${visible(method).padEnd(4)} ${size.padStart(8)}`;
}

function after(served: LoggedRequest, paint: Paint): string {
  const { bucket, target, status, because, reason, complete } = served;
  const why = status >= 400 ? (because ?? reason) : (WORDS[reason] ?? reason);
  const tail = [visible(why), complete ? '' : paint.warn('cut off')].filter((text) => text !== '').join('  ');
  return `${paint.soft(bucket)} ${paint.place(visible(target))}${tail === '' ? '' : `  ${tail}`}`;
}

function shownHeaders({ headers }: LoggedRequest, paint: Paint, show: readonly string[]): string {
  const shown = show
    .map((name) => headerOf(headers, name) && `${name}: ${headerOf(headers, name)}`)
    .filter(Boolean)
    .join(' · ');
  return shown === '' ? '' : `\n${' '.repeat(18)}${paint.soft(visible(shown))}`;
}

/** Durations up to a tenth of a second, by their tenths of a millisecond: most are among them. */
const SHORT: string[] = [];

function durationOf(milliseconds: number): string {
  const tenths = Math.round(milliseconds * 10);
  const write = (): string => `${(tenths / 10).toFixed(1)} ms`.padStart(9);
  return tenths < 1000 ? (SHORT[tenths] ??= write()) : write();
}
