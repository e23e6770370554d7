/** Who refers to an object, for a terminal. */
import { countOf } from '../../core/words/counts.js';
import { formatNames } from './format-names.js';
import { columns, visible, type Paint } from './paint.js';

interface Listed {
  readonly from: string;
  readonly line: number;
  readonly old: string;
  readonly new: string;
  readonly stays?: 'name' | 'place';
}

const MAX_LISTED = 60;

export function formatReferences(
  {
    key,
    versioned,
    references,
  }: { readonly key: string; readonly versioned?: string; readonly references: readonly Listed[] },
  inFull: boolean,
  paint: Paint,
): string {
  const name = paint.strong(
    versioned === undefined ? visible(key) : formatNames({ key: versioned, plain: key }),
  );
  if (references.length === 0) return `Nothing refers to ${name}.`;
  const shown = inFull ? references : references.slice(0, MAX_LISTED);
  const rows = shown.map(({ from, line, old, new: becomes, stays }) => [
    paint.place(`${visible(from)}:${line}`),
    visible(old),
    stays === undefined
      ? old === becomes
        ? paint.soft('as it is')
        : paint.good(visible(becomes))
      : paint.warn(
          stays === 'name'
            ? 'stays: only what reads it could follow'
            : 'stays: cannot be rewritten for certain',
        ),
  ]);
  const more =
    references.length > shown.length
      ? paint.soft(`\n  and ${references.length - shown.length} more; --in-full lists them`)
      : '';
  const files = new Set(references.map(({ from }) => from)).size;
  return `${name}: ${countOf(references.length, 'reference')} in ${countOf(files, 'text')}\n\n${columns([['place', 'written', 'published as'].map(paint.soft), ...rows], [], paint.width)}${more}`;
}
