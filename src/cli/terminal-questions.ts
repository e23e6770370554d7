/** The questions of jobs, asked on the terminal; where nobody is there to answer they are refused. */
import { FenestraError } from '../core/errors/catalogue.js';
import type { Questions } from '../jobs/questions.js';
import { formatQuestion } from '../report/text/question-text.js';

/** @param sure the name that was given beforehand @param before called before anything is asked */
export function createQuestions(
  interactive: boolean,
  sure: string | undefined,
  before: () => void,
): Questions {
  return {
    async agree(asked) {
      before();
      const question = formatQuestion(asked);
      if (!interactive) throw new FenestraError('CONFIRMATION_NEEDED', { question, option: '--yes' });
      const { confirm } = await import('@inquirer/prompts');
      const agreed = await confirm({ message: question, default: false }, { output: process.stderr }).catch(
        declined,
      );
      if (!agreed) throw new FenestraError('DECLINED');
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

/** Ctrl-C at a question declines it. */
export const declined = (error: unknown): never => {
  if (error instanceof Error && /^(?:ExitPrompt|AbortPrompt|CancelPrompt)Error$/.test(error.name))
    throw new FenestraError('DECLINED');
  throw error;
};
