/** The step that is under way, as one line on a terminal: how much of it is done, how fast, and how long it will take. */
import type { Amount, StepName } from '../jobs/progress.js';
import { formatProgress } from '../report/text/progress-text.js';

export interface ProgressTeller {
  step(name: StepName, all?: Amount): void;
  advance(bytes: number, objects: number): void;
  /** Something else is about to be written. */
  pause(): void;
  end(): void;
}

/** Work that takes no time needs no line. Milliseconds. */
const SOON = 300;
/** Milliseconds between two looks at the line. */
const OFTEN = 100;

/** @param stream undefined shows nothing */
export function createProgressLine(stream: NodeJS.WriteStream | undefined): ProgressTeller {
  let name: StepName | undefined;
  let all: Amount = {};
  let began = 0;
  let shown = 0;
  let drawn = false;
  const clear = (): void => {
    if (drawn) stream?.write('\r\u001b[K');
    drawn = false;
  };
  return {
    step(next, amount = {}) {
      if (!stream) return;
      clear();
      name = next;
      all = amount;
      began = performance.now();
      shown = 0;
    },
    advance(bytes, objects) {
      if (!stream || name === undefined) return;
      const now = performance.now();
      if (now - began < SOON || now - shown < OFTEN) return;
      shown = now;
      const text = formatProgress(name, { bytes, objects }, all, (now - began) / 1000, stream.columns || 80);
      stream.write(`\r${text}\u001b[K`);
      drawn = true;
    },
    pause: clear,
    end: clear,
  };
}
