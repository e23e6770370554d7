/** Each step as a line of JSON once it has ended, for build servers. */
import type { Amount, StepName } from '../jobs/progress.js';
import type { ProgressTeller } from './progress-line.js';

export function createProgressJson(write: (text: string) => void): ProgressTeller {
  let step: { readonly name: StepName; readonly began: number; all: Amount; done: Amount } | undefined;
  const end = (): void => {
    if (!step) return;
    const { name, began, all, done } = step;
    const seconds = Math.round(performance.now() - began) / 1000;
    write(`${JSON.stringify({ step: name, ...all, ...done, seconds })}\n`);
    step = undefined;
  };
  return {
    step(name, all = {}) {
      // The same step again has learned how much there is to do.
      if (step?.name === name) {
        step.all = all;
        return;
      }
      end();
      step = { name, began: performance.now(), all, done: {} };
    },
    advance(bytes, objects) {
      if (step) step.done = { ...(bytes > 0 ? { bytes } : {}), ...(objects > 0 ? { objects } : {}) };
    },
    pause: () => undefined,
    end,
  };
}
