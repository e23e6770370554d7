/** What a store can do, for a terminal. */
import { countOf } from '../../core/words/counts.js';
import { columns, visible, type Paint } from './paint.js';

export interface ShownTried {
  readonly bucket: string;
  readonly address: string | undefined;
  readonly rows: readonly {
    readonly what: string;
    readonly can: boolean | undefined;
    readonly means: string;
  }[];
  readonly answersAs: readonly { readonly quirks: string; readonly alike: number; readonly of: number }[];
}

export function formatTried(store: string, tried: ShownTried, paint: Paint): string {
  const rows = tried.rows.map(({ what, can, means }) => [
    what,
    can === undefined ? paint.soft('not tried') : can ? paint.good('yes') : paint.warn('no'),
    means,
  ]);
  const [best, ...others] = tried.answersAs;
  const answers = !best
    ? paint.soft(
        tried.address === undefined
          ? 'What visitors get of it is answered by `fenestra serve`.'
          : 'What visitors get of it could not be asked.',
      )
    : `${best.alike === best.of ? 'It answers' : 'It answers most'} as ${paint.strong(`quirks: ${best.quirks}`)}: ${best.alike} of ${countOf(best.of, 'answer')}${
        others[0] ? `; next ${others[0].quirks}, ${others[0].alike} of ${others[0].of}` : ''
      }.`;
  return [
    `${paint.strong(visible(store))}, tried in a bucket of its own, ${tried.bucket}, which is removed again`,
    columns([['can it', '', 'what that means'].map(paint.soft), ...rows], [], paint.width),
    answers,
  ].join('\n\n');
}
