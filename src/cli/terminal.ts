/** The one place where commands meet the terminal: results to stdout, questions and progress to stderr. */
import { isatty } from 'node:tty';
import { plainCommand, type CommandLine } from '../core/words/command-line.js';
import { wrapLines } from '../report/text/wrap.js';
import { createPaint, visible, type Colours, type Paint } from '../report/text/paint.js';
import type { Progress } from '../jobs/progress.js';
import type { Questions } from '../jobs/questions.js';
import { MAX_UNREAD_BYTES } from './line-batch.js';
import { createProgressJson } from './progress-json.js';
import { createProgressLine } from './progress-line.js';
import { createQuestions, declined } from './terminal-questions.js';

/** Control characters that JSON lets stand, and that a terminal would act on. */
const escapeControls = (json: string): string =>
  json.replace(
    /[\u007f-\u009f]/g,
    (character) => `\\u${character.charCodeAt(0).toString(16).padStart(4, '0')}`,
  );

let isPrinted = false;

/** Whether this run has printed its document. */
export const hasPrintedJson = (): boolean => isPrinted;

export const beginDocument = (): void => {
  isPrinted = false;
};

export function printDocument(value: unknown): void {
  isPrinted = true;
  process.stdout.write(`${escapeControls(JSON.stringify(value, null, 2))}\n`);
}

/** How progress is told: a line on a terminal, JSON lines for machines, or not at all. */
export const PROGRESS_KINDS = ['line', 'json', 'none'] as const;
export type ProgressKind = (typeof PROGRESS_KINDS)[number];

export interface Terminal {
  readonly paint: Paint;
  /** The colours of stderr, which may be a terminal when stdout is not. */
  readonly errPaint: Paint;
  readonly json: boolean;
  /** Whether somebody is there to answer. */
  readonly interactive: boolean;
  /** What jobs are given to tell of themselves. */
  readonly progress: Progress;
  /** A result for people; silent with --json. */
  print(text: string): void;
  /** The one JSON document; silent without --json. */
  printJson(value: unknown): void;
  /** Bytes of results that nobody has taken yet, as a pager that waits. */
  unread(): number;
  /** A remark beside the result, left out where nobody takes those before it. Foreign text in it cannot paint. */
  remark(text: string): void;
  /** What jobs are given to ask. @param sure a name that was given beforehand @param showDetails prints more of it */
  questions(sure?: string, showDetails?: () => void): Questions;
  /** Asks for a text, with a proposal that stands when nobody is there. */
  askText(question: string, proposal: string): Promise<string>;
  /** Asks for a yes or a no; no when nobody is there. */
  askYes(question: string): Promise<boolean>;
  /** The command has ended; so has the step that was under way. */
  end(): void;
}

/** @param take is given the document, which then is not printed */
export function createTerminal(
  json: boolean,
  kind: ProgressKind = 'line',
  command: CommandLine = plainCommand,
  take?: (document: unknown) => void,
): Terminal {
  // Asking a stream would make it, and nearly no command reads anything or says something on stderr.
  const coloured = (file: number): Colours => {
    const { NO_COLOR = '', FORCE_COLOR = '', TERM = '', COLORTERM = '' } = process.env;
    if (NO_COLOR !== '' || !(isatty(file) || FORCE_COLOR !== '')) return 0;
    return /256|kitty|direct/.test(TERM) || /truecolor|24bit/.test(COLORTERM) ? 256 : 16;
  };
  // What goes to a file or another program is whole.
  const width = Math.max(40, process.stdout.columns || Number(process.env['COLUMNS']) || Infinity);
  const paint = createPaint(coloured(1), width, command);
  const errPaint = createPaint(coloured(2), width, command);
  const interactive = isatty(0) && isatty(2);
  const line =
    kind === 'json'
      ? createProgressJson((text) => void process.stderr.write(text))
      : createProgressLine(kind === 'line' && isatty(2) ? process.stderr : undefined);
  const remark = (text: string): void => {
    line.pause();
    if (process.stderr.writableLength >= MAX_UNREAD_BYTES) return;
    process.stderr.write(`${wrapLines(text, process.stderr.columns || Infinity)}\n`);
  };
  return {
    paint,
    errPaint,
    json,
    interactive,
    progress: {
      step: (name, all) => line.step(name, all),
      advance: (bytes, objects) => line.advance(bytes, objects),
      remark: (text) => remark(visible(text)),
    },
    print: (text) => {
      line.pause();
      if (!json) process.stdout.write(`${wrapLines(text, process.stdout.columns || Infinity)}\n`);
    },
    unread: () => process.stdout.writableLength,
    printJson: (value) => {
      if (take) take(value);
      else if (json) printDocument(value);
    },
    remark,
    questions: (sure, showDetails) => {
      line.pause();
      return createQuestions(interactive, sure, () => line.pause(), showDetails);
    },
    askText: async (question, proposal) => {
      if (!interactive) return proposal;
      const { input } = await import('@inquirer/prompts');
      return input({ message: question, default: proposal }, { output: process.stderr }).catch(declined);
    },
    askYes: async (question) => {
      if (!interactive) return false;
      const { confirm } = await import('@inquirer/prompts');
      return confirm({ message: question, default: false }, { output: process.stderr }).catch(declined);
    },
    end: () => line.end(),
  };
}
