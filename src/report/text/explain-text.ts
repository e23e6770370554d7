/** The cascade of one object as a short table. */
import type { Candidate } from '../../core/assign/cascade.js';
import { ASSIGNABLE } from '../../core/assign/properties.js';
import { formatBytes } from '../../core/words/counts.js';
import type { SurveyObject } from '../../core/site/survey.js';
import { formatNames } from './format-names.js';
import { columns, visible, type Paint } from './paint.js';

export function formatExplanation(
  object: SurveyObject,
  candidates: readonly Candidate[],
  paint: Paint,
): string {
  const outcome = (text: Candidate['outcome']): string =>
    text === 'decided' ? paint.good('decided') : paint.soft(text);
  const rows = candidates.map(({ property, by, value, outcome: what }) => [
    ASSIGNABLE[property].label,
    by,
    what === 'decided' ? visible(value) : paint.soft(visible(value)),
    outcome(what),
  ]);
  const sent = Object.entries(object.headers).map(([name, value]) => `  ${visible(name)}: ${visible(value)}`);
  return [
    `${paint.strong(paint.place(formatNames(object)))}, ${formatBytes(object.size)}, readable by ${object.public ? 'anyone' : 'nobody'}`,
    columns([['property', 'rule', 'value', 'outcome'].map(paint.soft), ...rows]),
    `${paint.strong('Sent with')}\n${sent.length > 0 ? sent.join('\n') : '  no headers of its own'}`,
  ].join('\n\n');
}
