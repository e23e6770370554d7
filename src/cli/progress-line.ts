/** The step that is under way, as one line on a terminal: how much of it is done, how fast, and how long it will take. */
import type { SingleBar } from 'cli-progress';
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
/** How often the line is drawn, a second. */
const FRAMES = 10;

interface State {
  readonly name: StepName;
  readonly all: Amount;
  readonly began: number;
  done: Amount;
}

/** @param stream undefined shows nothing */
export function createProgressLine(stream: NodeJS.WriteStream | undefined): ProgressTeller {
  let state: State | undefined;
  let bar: SingleBar | undefined;
  let loading: Promise<void> | undefined;
  const clear = (): void => {
    bar?.stop();
    bar = undefined;
  };
  const draw = ({ name, all, began, done }: State): string =>
    formatProgress(name, done, all, (performance.now() - began) / 1000, stream?.columns || 80);
  const show = async (shown: State): Promise<void> => {
    const { default: progress } = await import('cli-progress');
    loading = undefined;
    if (state !== shown || bar || !stream) return;
    bar = new progress.SingleBar({
      format: () => draw(shown),
      fps: FRAMES,
      hideCursor: true,
      clearOnComplete: true,
      stream,
    });
    bar.start(1, 0);
  };
  return {
    step(name, all = {}) {
      if (!stream) return;
      clear();
      state = { name, all, began: performance.now(), done: {} };
    },
    advance(bytes, objects) {
      if (!state) return;
      state.done = { bytes, objects };
      if (bar) bar.update(0);
      else if (performance.now() - state.began >= SOON) loading ??= show(state);
    },
    pause: clear,
    end() {
      clear();
      state = undefined;
    },
  };
}
