/** What a job says while it runs, and the steps that it is made of. */

/** Every step of every job; what people read of each stands in report/text/progress-text.ts. */
export const STEP_NAMES = [
  'survey',
  'name',
  'compare',
  'send',
  'inspect',
  'probe',
  'release',
  'tidy',
  'verify',
  'visit',
  'browse',
  'export',
  'seen',
  'look',
  'look-up',
  'wait',
] as const;
export type StepName = (typeof STEP_NAMES)[number];

/** How much there is to do in a step, where that is known. */
export interface Amount {
  readonly bytes?: number;
  readonly objects?: number;
}

/** The one way in which a job tells of itself before it returns. */
export interface Progress {
  /** A step begins; the one before has ended. */
  step(name: StepName, all?: Amount): void;
  /** What is done of the step that is under way. */
  advance(bytes: number, objects: number): void;
  /** Something to know that is no result. */
  remark(text: string): void;
}

export const SILENT: Progress = {
  step: () => undefined,
  advance: () => undefined,
  remark: () => undefined,
};

/** A step of a long job, and what it does with what the ones before left. */
export interface Step<Work> {
  readonly name: StepName;
  /** Steps that have nothing to do are passed over. */
  readonly when?: (work: Work) => boolean;
  readonly all?: (work: Work) => Amount;
  run(work: Work, progress: Progress): void | Promise<void>;
}

/** Runs the steps of a job in order; the first that throws ends it. */
export async function runSteps<Work>(
  steps: readonly Step<Work>[],
  work: Work,
  progress: Progress,
): Promise<void> {
  for (const step of steps) {
    if (step.when && !step.when(work)) continue;
    progress.step(step.name, step.all?.(work));
    await step.run(work, progress);
  }
}
