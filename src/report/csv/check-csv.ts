/** A check as CSV (RFC 4180): one row for each place of each finding, and one for each wrong answer. */
import { stringify } from 'csv-stringify/sync';
import type { CheckOutcome } from '../../core/check/outcome.js';
import { describeCause, formatDifference } from '../text/cause-text.js';
import { visible } from '../text/paint.js';

const COLUMNS = ['level', 'rule', 'file', 'line', 'address', 'message', 'fix'];

export function renderCsv({ findings, failures, beside }: CheckOutcome): string {
  const places = findings.flatMap((finding) => {
    const { level, rule, message, fix, elsewhere = [] } = finding;
    return [finding, ...elsewhere].map(({ key, line }) => [
      level,
      rule,
      key ?? finding.file ?? '',
      line ?? '',
      '',
      message,
      fix,
    ]);
  });
  const answers = [...failures, ...(beside?.failures ?? [])].map((failure) => [
    'error',
    `answer-${failure.aspect}`,
    '',
    '',
    failure.url,
    `${failure.about}: ${formatDifference(failure)}`,
    describeCause(failure.cause),
  ]);
  const rows = [...places, ...answers].map((row) =>
    row.map((cell) => (typeof cell === 'string' ? visible(cell) : cell)),
  );
  // Names of files are anybody's: none may become a formula in a spreadsheet.
  return stringify([COLUMNS, ...rows], { record_delimiter: 'windows', escape_formulas: true });
}
