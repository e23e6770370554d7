/** What jobs ask, in words. */
import type { Finding } from '../../core/findings/finding.js';
import type { ChangeTotals } from '../../core/release/change-list.js';
import { countOf, formatBytes } from '../../core/words/counts.js';
import { formatTotals } from './changes-text.js';

/** A question as data; the jobs' own shape. */
export type AskedQuestion =
  | {
      readonly about: 'publish';
      readonly bucket: string;
      readonly store: string;
      readonly totals: ChangeTotals;
      readonly toSend: number;
    }
  | { readonly about: 'reader-errors'; readonly bucket: string; readonly findings: readonly Finding[] }
  | { readonly about: 'widen'; readonly bucket: string; readonly keys: readonly string[] }
  | {
      readonly about: 'remove-most' | 'empty';
      readonly bucket: string;
      readonly remove: number;
      readonly of: number;
    }
  | { readonly about: 'open'; readonly bucket: string }
  | {
      readonly about: 'remove-bucket';
      readonly bucket: string;
      readonly objects: number;
      readonly bytes: number;
      readonly releases: number;
    };

export function formatQuestion(question: AskedQuestion): string {
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
    case 'remove-most':
    case 'empty':
      return `This removes ${question.remove} of the ${countOf(question.of, 'object')} in ${bucket}.`;
    case 'open':
      return `This opens ${bucket} to everyone.`;
    case 'remove-bucket':
      return `This removes ${bucket} with ${countOf(question.objects, 'object')} (${formatBytes(question.bytes)}) and ${countOf(question.releases, 'release')}. It cannot be taken back.`;
  }
}
