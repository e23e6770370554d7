/** The properties that decide how high a box is, and what each declaration sets of them. */
import { splitWords } from './screen.js';

const SIDES = ['top', 'right', 'bottom', 'left'] as const;

export type BoxProperty =
  | 'display'
  | 'position'
  | 'float'
  | 'top'
  | 'width'
  | 'min-width'
  | 'max-width'
  | 'height'
  | 'min-height'
  | 'max-height'
  | 'ratio'
  | 'sizing'
  | 'letters'
  | 'line'
  | 'columns'
  | 'direction'
  | 'wrap'
  | 'tracks'
  | 'row-gap'
  | 'column-gap'
  | 'basis'
  | `${'padding' | 'margin'}-${(typeof SIDES)[number]}`;

/** Of a shorthand every part is set by the whole value, of which `sideOf` takes its own. */
const around = (name: 'padding' | 'margin'): BoxProperty[] => SIDES.map((side) => `${name}-${side}` as const);

export const BOX_PROPERTIES: ReadonlyMap<string, readonly BoxProperty[]> = new Map(
  Object.entries({
    display: ['display'],
    position: ['position'],
    float: ['float'],
    top: ['top'],
    inset: ['top'],
    width: ['width'],
    'inline-size': ['width'],
    'min-width': ['min-width'],
    'max-width': ['max-width'],
    'max-inline-size': ['max-width'],
    height: ['height'],
    'block-size': ['height'],
    'min-height': ['min-height'],
    'min-block-size': ['min-height'],
    'max-height': ['max-height'],
    'max-block-size': ['max-height'],
    'aspect-ratio': ['ratio'],
    'box-sizing': ['sizing'],
    font: ['letters', 'line'],
    'font-size': ['letters'],
    'line-height': ['line'],
    columns: ['columns'],
    'column-count': ['columns'],
    'flex-direction': ['direction'],
    'flex-flow': ['direction', 'wrap'],
    'flex-wrap': ['wrap'],
    flex: ['basis'],
    'flex-basis': ['basis'],
    'grid-template-columns': ['tracks'],
    'grid-template': ['tracks'],
    gap: ['row-gap', 'column-gap'],
    'grid-gap': ['row-gap', 'column-gap'],
    'row-gap': ['row-gap'],
    'grid-row-gap': ['row-gap'],
    'column-gap': ['column-gap'],
    padding: around('padding'),
    margin: around('margin'),
    'padding-block': ['padding-top', 'padding-bottom'],
    'margin-block': ['margin-top', 'margin-bottom'],
    'padding-inline': ['padding-left', 'padding-right'],
    'margin-inline': ['margin-left', 'margin-right'],
    ...Object.fromEntries([...around('padding'), ...around('margin')].map((name) => [name, [name]])),
  } satisfies Record<string, readonly BoxProperty[]>),
);

/** The part of a shorthand's value that is for one side; a value of one part is for all. */
export function sideOf(property: BoxProperty, value: string): string {
  const parts = splitWords(value);
  const at = SIDES.findIndex((side) => property.endsWith(`-${side}`));
  if (property === 'row-gap' || property === 'top') return parts[0] ?? '';
  if (property === 'column-gap') return parts[1] ?? parts[0] ?? '';
  if (at < 0) return value;
  const [top = '', right = top, bottom = top, left = right] = parts;
  return [top, right, bottom, left][at] ?? top;
}
