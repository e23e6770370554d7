/** Every kind of report of a check: what its file ends in, what it is for, and what writes it. */
import { extname } from 'node:path';
import type { CheckOutcome } from '../core/check/outcome.js';
import { FenestraError } from '../core/errors/catalogue.js';
import type { ReportContext } from './report-context.js';
import { checkJson } from './json/check-json.js';

export interface ReportKind {
  /** With its dot, in lower case. */
  readonly extension: string;
  /** What it is, for the help and the docs. */
  readonly help: string;
  render(outcome: CheckOutcome, context: ReportContext): Promise<string>;
}

export const REPORT_KINDS: readonly ReportKind[] = [
  {
    extension: '.html',
    help: 'one page for people',
    render: async (outcome, { address }) =>
      (await import('./html/pages.js')).renderCheckPage(outcome, address),
  },
  {
    extension: '.xml',
    help: 'JUnit, for build servers',
    render: async (outcome) => (await import('./junit/check-junit.js')).renderJunit(outcome),
  },
  {
    extension: '.sarif',
    help: 'for code review',
    render: async (outcome, context) =>
      (await import('./sarif/check-sarif.js')).renderSarif(outcome, context),
  },
  {
    extension: '.csv',
    help: 'a row for each place and each wrong answer, for spreadsheets',
    render: async (outcome) => (await import('./csv/check-csv.js')).renderCsv(outcome),
  },
  {
    extension: '.json',
    help: 'the same as --json',
    render: async (outcome) => `${JSON.stringify(checkJson(outcome), null, 2)}\n`,
  },
];

/** `.html (one page for people), .xml (…)` */
export const describeReportKinds = (): string =>
  REPORT_KINDS.map(({ extension, help }) => `${extension} (${help})`).join(', ');

/** @throws FenestraError REPORT_KIND */
export function findReportKind(file: string): ReportKind {
  const extension = extname(file).toLowerCase();
  const kind = REPORT_KINDS.find((each) => each.extension === extension);
  if (kind) return kind;
  throw new FenestraError('REPORT_KIND', { file, kinds: describeReportKinds() });
}
