/** The questions of jobs, asked on the terminal; where nobody is there to answer they are refused. */
import { FenestraError } from '../core/errors/catalogue.js';
import type { Questions } from '../jobs/questions.js';
import { formatQuestion } from '../report/text/question-text.js';

/**
 * @param sure the name that was given beforehand
 * @param before called before anything is asked
 * @param showDetails prints what is asked about in full, where there is more than was shown
 */
export function createQuestions(
  interactive: boolean,
  sure: string | undefined,
  before: () => void,
  showDetails?: () => void,
): Questions {
  return {
    async agree(asked) {
      before();
      const question = formatQuestion(asked);
      if (!interactive) throw new FenestraError('CONFIRMATION_NEEDED', { question, option: '--yes' });
      if (!(await askYes(question, showDetails))) throw new FenestraError('DECLINED');
    },
    async typeName(asked) {
      before();
      const question = formatQuestion(asked);
      const name = asked.bucket;
      const option = `--sure ${name}`;
      let typed = sure;
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
  };
}

/** Yes or no; where there are details, d shows them and asks again. */
async function askYes(question: string, showDetails: (() => void) | undefined): Promise<boolean> {
  const { confirm, input } = await import('@inquirer/prompts');
  const output = { output: process.stderr };
  if (!showDetails) return confirm({ message: question, default: false }, output).catch(declined);
  for (;;) {
    const answer = await input(
      {
        message: `${question} (y/N, d for details)`,
        validate: (text) => /^(?:y(?:es)?|no?|d(?:etails)?)?$/i.test(text.trim()) || 'y, n or d',
      },
      output,
    ).catch(declined);
    if (!/^d/i.test(answer.trim())) return /^y/i.test(answer.trim());
    showDetails();
  }
}

/** Ctrl-C at a question declines it. */
export const declined = (error: unknown): never => {
  if (error instanceof Error && /^(?:ExitPrompt|AbortPrompt|CancelPrompt)Error$/.test(error.name))
    throw new FenestraError('DECLINED');
  throw error;
};
