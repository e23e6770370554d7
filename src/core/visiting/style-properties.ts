/** The properties of style sheets that load something, or decide whether something else does. */
import type { BoxProperty } from './box-properties.js';

/** What the rules that are kept decide; everything else of a sheet loads nothing. */
export type Property =
  | 'display'
  | 'background'
  | 'list'
  | 'cursor'
  | 'mask'
  | 'border'
  | 'content'
  | 'shape'
  | 'filter'
  | 'clip'
  | 'fill'
  | 'stroke'
  | 'inside'
  | 'family'
  | 'weight'
  | 'slant'
  | BoxProperty
  | `--${string}`;

/** Which properties a declaration sets, by its name. */
export type PropertyTable = ReadonlyMap<string, readonly Property[]>;

/** Every property that loads something, or decides whether something else does. */
export const PROPERTIES: PropertyTable = new Map(
  Object.entries({
    display: ['display'],
    background: ['background'],
    'background-image': ['background'],
    'list-style': ['list'],
    'list-style-image': ['list'],
    cursor: ['cursor'],
    mask: ['mask'],
    'mask-image': ['mask'],
    '-webkit-mask': ['mask'],
    '-webkit-mask-image': ['mask'],
    'border-image': ['border'],
    'border-image-source': ['border'],
    content: ['content'],
    'shape-outside': ['shape'],
    filter: ['filter'],
    '-webkit-filter': ['filter'],
    '-webkit-clip-path': ['clip'],
    '-webkit-border-image': ['border'],
    'clip-path': ['clip'],
    fill: ['fill'],
    stroke: ['stroke'],
    'content-visibility': ['inside'],
    font: ['family', 'weight', 'slant'],
    'font-family': ['family'],
    'font-weight': ['weight'],
    'font-style': ['slant'],
  } satisfies Record<string, readonly Property[]>),
);

/** Properties of other engines, and those that name what is in the page itself. */
export const LOADS_NOTHING = /^(?:behavior|src|marker(?:-.*)?|-(?:moz|ms|o)-.*|offset-path|backdrop-filter)$/;
