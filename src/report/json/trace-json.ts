/** The one JSON document of a trace. */
import type { Reason, Step } from '../../core/hosting/answer.js';
import type { Fix } from '../../core/hosting/diagnose.js';
import type { Trace } from '../../core/hosting/trace.js';
import { plainCommand, type CommandLine } from '../../core/words/command-line.js';
import { describeFix } from '../text/fix-text.js';
import type { TraceView } from '../text/trace-text.js';

export interface TraceJson {
  readonly url: string;
  readonly bucket: string;
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  /** The key that the address names. */
  readonly key?: string;
  readonly reason: Reason;
  readonly steps: readonly Step[];
  /** What set each header. */
  readonly decidedBy: Readonly<Record<string, string>>;
  readonly fix?: string;
  /** What a live endpoint sent for the same. */
  readonly live?: TraceView['live'];
}

export const traceJson = (
  url: string,
  traced: Trace & { readonly bucket: string; readonly fix?: Fix },
  live?: TraceView['live'],
  command: CommandLine = plainCommand,
): TraceJson => {
  const { answer, headers, steps, fix, bucket } = traced;
  return {
    url,
    bucket,
    status: answer.status,
    headers: Object.fromEntries(headers.map(({ name, value }) => [name, value])),
    ...(answer.key === undefined ? {} : { key: answer.key }),
    reason: answer.reason,
    steps,
    decidedBy: Object.fromEntries(headers.map(({ name, because }) => [name, because])),
    ...(fix ? { fix: describeFix(fix, command) } : {}),
    ...(live ? { live } : {}),
  };
};
