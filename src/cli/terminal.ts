/** The one place where commands meet the terminal: results to stdout, questions and progress to stderr. */
import { createPaint, type Paint } from '../report/text/paint.js';
import { FenestraError } from '../core/errors/catalogue.js';

export interface Terminal {
  readonly paint: Paint;
  /** The colours of stderr, which may be a terminal when stdout is not. */
  readonly errPaint: Paint;
  readonly json: boolean;
  /** Whether somebody is there to answer. */
  readonly interactive: boolean;
  /** A result for people; silent with --json. */
  print(text: string): void;
  /** The one JSON document; silent without --json. */
  printJson(value: unknown): void;
  /** A remark beside the result. */
  remark(text: string): void;
  /** Shows progress on a terminal, nothing in a pipe. Ends with `stop`. */
  progress(label: string): ProgressLine;
  /** Asks yes or no. @throws FenestraError DECLINED, CONFIRMATION_NEEDED */
  confirm(question: string, option: string): Promise<void>;
  /** Asks for a name to be typed. @throws FenestraError CONFIRMATION_WRONG, CONFIRMATION_NEEDED */
  confirmName(question: string, name: string, given: string | undefined): Promise<void>;
  /** Asks for a text, with a proposal that stands when nobody is there. */
  askText(question: string, proposal: string): Promise<string>;
}

export interface ProgressLine {
  update(done: number, all: number): void;
  stop(): void;
}

export function createTerminal(json: boolean): Terminal {
  const coloured = (stream: NodeJS.WriteStream): boolean =>
    process.env['NO_COLOR'] === undefined && (stream.isTTY || process.env['FORCE_COLOR'] !== undefined);
  const width = Math.max(40, process.stdout.columns || Number(process.env['COLUMNS']) || 110);
  const paint = createPaint(coloured(process.stdout), width);
  const errPaint = createPaint(coloured(process.stderr), width);
  const interactive = process.stdin.isTTY && process.stderr.isTTY;
  return {
    paint,
    errPaint,
    json,
    interactive,
    print: (text) => {
      if (!json) process.stdout.write(`${text}\n`);
    },
    printJson: (value) => {
      if (json) process.stdout.write(`${JSON.stringify(value, null, 2)}\n`);
    },
    remark: (text) => void process.stderr.write(`${text}\n`),
    progress: (label) => createProgress(label),
    confirm: async (question, option) => {
      if (!interactive) throw new FenestraError('CONFIRMATION_NEEDED', { question, option });
      const { confirm } = await import('@inquirer/prompts');
      const agreed = await confirm({ message: question, default: false }, { output: process.stderr }).catch(
        declined,
      );
      if (!agreed) throw new FenestraError('DECLINED');
    },
    confirmName: async (question, name, given) => {
      const option = `--sure ${name}`;
      let typed = given;
      if (typed === undefined) {
        if (!interactive) throw new FenestraError('CONFIRMATION_NEEDED', { question, option });
        const { input } = await import('@inquirer/prompts');
        typed = await input(
          { message: `${question} Type ${name} to go on:` },
          { output: process.stderr },
        ).catch(declined);
      }
      if (typed !== name)
        throw new FenestraError('CONFIRMATION_WRONG', { given: typed, expected: name, option });
    },
    askText: async (question, proposal) => {
      if (!interactive) return proposal;
      const { input } = await import('@inquirer/prompts');
      return input({ message: question, default: proposal }, { output: process.stderr }).catch(declined);
    },
  };
}

/** Ctrl-C at a question declines it. */
const declined = (error: unknown): never => {
  if (error instanceof Error && /^(?:ExitPrompt|AbortPrompt|CancelPrompt)Error$/.test(error.name))
    throw new FenestraError('DECLINED');
  throw error;
};

function createProgress(label: string): ProgressLine {
  if (!process.stderr.isTTY) return { update: () => undefined, stop: () => undefined };
  let bar: { update: (done: number) => void; setTotal: (all: number) => void; stop: () => void } | undefined;
  let stopped = false;
  const began = Date.now();
  const loading = import('cli-progress');
  return {
    update(done, all) {
      // Work that takes no time needs no bar.
      if (stopped || Date.now() - began < 300) return;
      if (bar) {
        bar.setTotal(all);
        bar.update(done);
        return;
      }
      void loading.then(({ default: progress }) => {
        if (bar || stopped) return;
        const made = new progress.SingleBar({
          format: `${label} {bar} {percentage}%`,
          hideCursor: true,
          clearOnComplete: true,
          stream: process.stderr,
        });
        made.start(all, done);
        bar = made;
      });
    },
    stop() {
      stopped = true;
      bar?.stop();
    },
  };
}
