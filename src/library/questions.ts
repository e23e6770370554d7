/** Questions where nobody is there to be asked: calling is a yes, and names are given beforehand. */
import { FenestraError } from '../core/errors/catalogue.js';
import type { Questions } from '../jobs/questions.js';
import { formatQuestion } from '../report/text/question-text.js';

/** @param sure the bucket's name, where it was given */
export const answerWithoutAsking = (sure: string | undefined): Questions => ({
  agree: async () => undefined,
  async typeName(asked) {
    const option = `sure: '${asked.bucket}'`;
    if (sure === undefined)
      throw new FenestraError('CONFIRMATION_NEEDED', { question: formatQuestion(asked), option });
    if (sure !== asked.bucket)
      throw new FenestraError('CONFIRMATION_WRONG', { given: sure, expected: asked.bucket, option });
  },
});
