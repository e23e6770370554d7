/** Questions that show first what a wider policy lets anyone read. */
import type { Questions } from '../jobs/questions.js';
import type { Paint } from '../report/text/paint.js';
import type { Terminal } from './terminal.js';

/** @param sure the bucket's name, where it was given beforehand */
export function showWidened(
  terminal: Terminal,
  sure: string | undefined,
  format: (keys: readonly string[], paint: Paint) => string,
): Questions {
  const questions = terminal.questions(sure);
  return {
    agree: async (question) => questions.agree(question),
    async typeName(question) {
      if (question.about === 'widen') terminal.print(`\n${format(question.keys, terminal.paint)}`);
      await questions.typeName(question);
    },
  };
}
