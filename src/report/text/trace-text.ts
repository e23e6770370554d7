/** A trace as a short ladder, then the answer, its headers and the cure. */
import type { Step } from '../../core/hosting/answer.js';
import type { TracedHeader } from '../../core/hosting/trace.js';
import { columns, visible, type Paint } from './paint.js';
import { wrapLines } from './wrap.js';

export interface LiveHeader {
  readonly name: string;
  readonly expected: string | undefined;
  readonly observed: string | undefined;
}

export interface TraceView {
  readonly method: string;
  readonly url: string;
  readonly status: number;
  readonly because: string | undefined;
  readonly headers: readonly TracedHeader[];
  readonly steps: readonly Step[];
  /** In words. */
  readonly fix: string | undefined;
  /** For how long it is used without asking, and what a browser still has: sentences. */
  readonly kept?: readonly string[];
  /** What a live endpoint really sent. */
  readonly live?: {
    readonly at: string;
    readonly status: number;
    readonly headers: readonly LiveHeader[];
    readonly sameBytes: boolean | undefined;
  };
}

export function formatTrace(view: TraceView, paint: Paint): string {
  const colour = view.status < 300 ? paint.good : view.status < 400 ? paint.warn : paint.bad;
  const last = view.steps.length - 1;
  const ladder = view.steps.map(({ step, outcome, because }, at) => [
    paint.soft(at === last ? '└' : '├'),
    step,
    at === last && view.status >= 400 ? paint.bad(visible(outcome)) : visible(outcome),
    paint.soft(visible(because)),
  ]);
  const parts = [
    `${view.method} ${paint.place(visible(view.url))}`,
    columns(ladder, [], paint.width),
    `${paint.strong(colour(String(view.status)))}${view.because === undefined ? '' : ` ${visible(view.because)}`}`,
  ];
  if (view.live) parts.push(formatLive(view.live, view.status, paint));
  else if (view.headers.length > 0) {
    parts.push(
      columns(
        view.headers.map(({ name, value, because }) => [name, visible(value), paint.soft(visible(because))]),
        [],
        paint.width,
      ),
    );
  }
  if (view.kept && view.kept.length > 0)
    parts.push(wrapLines(view.kept.map(visible).join('\n'), paint.width));
  if (view.fix !== undefined) parts.push(`${paint.strong('cure:')} ${visible(view.fix)}`);
  return parts.join('\n\n');
}

/** Whether an endpoint sent anything else than it must. */
export const differs = (status: number, live: NonNullable<TraceView['live']>): boolean =>
  live.status !== status ||
  live.sameBytes === false ||
  live.headers.some(({ expected, observed }) => expected !== undefined && expected !== observed);

function formatLive(live: NonNullable<TraceView['live']>, status: number, paint: Paint): string {
  const mark = (same: boolean): string => (same ? paint.good('✓') : paint.bad('✗'));
  const rows = [
    ['', 'aspect', 'must be', `sent by ${live.at}`].map(paint.soft),
    [mark(live.status === status), 'status', String(status), String(live.status)],
    ...live.headers.map(({ name, expected, observed }) => [
      // What the emulation says nothing of is the endpoint's own matter.
      expected === undefined ? ' ' : mark(expected === observed),
      name,
      visible(expected ?? '(none)'),
      visible(observed ?? '(none)'),
    ]),
  ];
  if (live.sameBytes !== undefined)
    rows.push([mark(live.sameBytes), 'bytes', 'as published', live.sameBytes ? 'as published' : 'others']);
  return columns(rows, [], paint.width);
}
