/** Baselines in files. */
import { reasonInWords } from '../../core/errors/system-error.js';
import { readFileSync } from 'node:fs';
import { makeBaseline, parseBaseline, type Baseline } from '../../core/check/baseline.js';
import type { CheckOutcome } from '../../core/check/outcome.js';
import { FenestraError } from '../../core/errors/catalogue.js';

/** @throws FenestraError BASELINE_UNREADABLE */
export function readBaseline(file: string): Baseline {
  try {
    return parseBaseline(readFileSync(file, 'utf8'));
  } catch (error) {
    const reason = reasonInWords(error);
    throw new FenestraError('BASELINE_UNREADABLE', { file, reason }, error);
  }
}

export const formatBaseline = ({ findings, failures }: CheckOutcome): string =>
  `${JSON.stringify({ about: 'What fenestra check knows already; see docs/guide.md.', ...makeBaseline(findings, failures) }, null, 2)}\n`;
