/** How the text of one object would change, for a terminal. */
import { formatBytes } from '../../core/words/counts.js';
import { visible, type Paint } from './paint.js';

type Diff = { readonly key: string } & (
  | { readonly outcome: 'unchanged' }
  | { readonly outcome: 'same-bytes'; readonly change: string }
  | { readonly outcome: 'incomparable' | 'all-other'; readonly was: number; readonly becomes: number }
  | { readonly outcome: 'lines'; readonly lines: readonly string[] }
);

export function formatBodyDiff(diff: Diff, paint: Paint): string {
  const key = visible(diff.key);
  switch (diff.outcome) {
    case 'unchanged':
      return `${key} would not change.`;
    case 'same-bytes':
      return `The bytes of ${key} stay; ${diff.change === 'relabel' ? 'its headers change: publish --dry-run --in-full shows them' : 'nothing changes'}.`;
    case 'incomparable':
      return `${key} is not text that can be compared: ${formatBytes(diff.was)} → ${formatBytes(diff.becomes)}.`;
    case 'all-other':
      return `${key} is other text from end to end: ${formatBytes(diff.was)} → ${formatBytes(diff.becomes)}.`;
    case 'lines':
      return diff.lines
        .map((line) =>
          (line.startsWith('+') ? paint.good : line.startsWith('-') ? paint.bad : (text: string) => text)(
            visible(line),
          ),
        )
        .join('\n')
        .trimEnd();
  }
}
