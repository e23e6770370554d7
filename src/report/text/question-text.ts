/** What jobs ask, in words. */
import type { Question } from '../../core/release/question.js';
import { countOf, formatBytes } from '../../core/words/counts.js';
import { formatTotals } from './changes-text.js';
import { visible } from './paint.js';

export function formatQuestion(question: Question): string {
  const { bucket } = question;
  switch (question.about) {
    case 'publish':
      return `Publish to ${bucket} in ${question.store}: ${formatTotals(question.totals, question.toSend)}?`;
    case 'reader-errors': {
      const [first] = question.findings;
      const more =
        question.findings.length > 1 ? `, and ${countOf(question.findings.length - 1, 'error')} more` : '';
      const place = first?.key === undefined ? '' : `${first.key} `;
      return `Who may read what is not as it seems to be meant: ${place}${first?.message ?? ''}${more}.`;
    }
    case 'widen':
      return `This lets anyone read ${countOf(question.keys.length, 'more key')} of ${bucket}.`;
    case 'narrow':
      return `This takes ${countOf(question.keys.length, 'page or part of a page', 'pages and parts of pages')} of ${bucket} away from visitors.`;
    case 'lose-index':
      return `This leaves visitors of ${bucket} without a start page: ${visible(question.index)} will not answer any more.`;
    case 'other-project':
      return `This takes the place of another project: ${bucket} was published from the folder ${visible(question.folder)}, and nothing of that stays.`;
    case 'remove-most':
    case 'empty':
      return `This removes ${question.remove} of the ${countOf(question.of, 'object')} in ${bucket}.`;
    case 'mend': {
      const parts = [
        ...(question.settings > 0 ? [countOf(question.settings, 'setting')] : []),
        ...(question.objects > 0 ? [countOf(question.objects, 'object')] : []),
      ];
      return `Put ${parts.join(' and ')} of ${bucket} back?`;
    }
    case 'open':
      return `This opens ${bucket} to everyone.`;
    case 'remove-bucket':
      return `This removes ${bucket} with ${countOf(question.objects, 'object')} (${formatBytes(question.bytes)}) and ${countOf(question.releases, 'release')}. It cannot be taken back.`;
  }
}
