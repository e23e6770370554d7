/** The one JSON document of a trace. */
import { isoMoment } from '../../core/words/moments.js';
import type { Reason, Step } from '../../core/hosting/answer.js';
import type { Fix } from '../../core/hosting/diagnose.js';
import type { Trace } from '../../core/hosting/trace.js';
import { plainCommand, type CommandLine } from '../../core/words/command-line.js';
import type { HeldCopy, Usable } from '../../core/visiting/held-copy.js';
import type { FrontUse } from '../../core/caching/front-use.js';
import { describeFront, describeHeld } from '../text/cached-copy-text.js';
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
  /** Until when a browser that loads it now may use it without asking; null where it asks each time, or for ever. */
  readonly usable?: { readonly until: string | null; readonly forEver: boolean; readonly by: string };
  /** What a browser that loaded it from an earlier release has of it now. */
  readonly browserHas?: {
    readonly release: number;
    readonly loadedAt: string;
    readonly state: HeldCopy['state'];
    readonly until: string | null;
    readonly because: string;
  };
}

interface TraceBeside {
  readonly live?: TraceView['live'] | undefined;
  readonly usable?: Usable | undefined;
  readonly held?: HeldCopy | undefined;
  readonly front?: FrontUse | undefined;
}

const isoOf = (at: number | undefined): string | null =>
  at === undefined || at === Infinity ? null : isoMoment(at);

export const traceJson = (
  url: string,
  traced: Trace & { readonly bucket: string; readonly fix?: Fix },
  { live, usable, held, front }: TraceBeside = {},
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
    ...(usable
      ? { usable: { until: isoOf(usable.until), forEver: usable.until === Infinity, by: usable.by } }
      : {}),
    ...(front ? { front: { ...front, because: describeFront(front) } } : {}),
    ...(held
      ? {
          browserHas: {
            release: held.release,
            loadedAt: isoMoment(held.loadedAt),
            state: held.state,
            until: isoOf(held.until),
            because: describeHeld(held),
          },
        }
      : {}),
  };
};
