/** Selectors of style sheets, ready to be matched: indexed by what the element itself must have. */
import { compile } from 'css-select';
import { parse, SelectorType, type Selector } from 'css-what';
import type { Element } from '../reading/page/element.js';
import { ADAPTER } from '../reading/page/page-tree.js';

export interface Matcher {
  matches(element: Element): boolean;
  /** Ids, then classes and attributes, then names. */
  readonly specificity: number;
  /** `before`, `first-letter` and the like; '' for the element itself. */
  readonly pseudo: string;
  /** What an element must have to match: `#id`, `.class` or a name; '*' where nothing is sure. */
  readonly index: string;
}

const never = (): boolean => false;
/** States that nobody has brought about yet. */
const PSEUDOS = {
  ...Object.fromEntries(
    ['hover', 'focus', 'focus-visible', 'focus-within', 'active', 'target', 'visited', 'user-invalid'].map(
      (name) => [name, never],
    ),
  ),
  'any-link': ':is(a, area)[href]',
  link: ':is(a, area)[href]',
  host: never,
  defined: '*',
};

const known = new Map<string, readonly Matcher[]>();
const MAX_KNOWN = 20_000;

/** The selectors of a list; of one that a browser would not understand, none. */
export function compileSelectors(text: string): readonly Matcher[] {
  let made = known.get(text);
  if (!made) {
    if (known.size >= MAX_KNOWN) known.clear();
    known.set(text, (made = compileAll(text)));
  }
  return made;
}

function compileAll(text: string): readonly Matcher[] {
  try {
    return parse(text).flatMap((tokens) => compileOne(tokens));
  } catch {
    return [];
  }
}

function compileOne(tokens: readonly Selector[]): Matcher[] {
  const pseudo = tokens.find(({ type }) => type === 'pseudo-element');
  const name = pseudo && 'name' in pseudo ? pseudo.name : '';
  // Other parts have no pictures of their own.
  if (pseudo && !/^(?:before|after|marker|first-letter|first-line)$/.test(name)) return [];
  const plain = tokens.filter(({ type }) => type !== 'pseudo-element');
  const last = plain.at(-1);
  const needed =
    !last || isTraversal(last)
      ? [...plain, { type: SelectorType.Universal, namespace: null } as Selector]
      : plain;
  const matches = compile<Element, Element>([needed], {
    adapter: ADAPTER,
    pseudos: PSEUDOS,
    relativeSelector: false,
  });
  return [
    {
      matches,
      specificity: specificityOf(tokens),
      pseudo: name,
      index: indexOf(needed),
    },
  ];
}

const isTraversal = ({ type }: Selector): boolean =>
  type === 'descendant' || type === 'child' || type === 'adjacent' || type === 'sibling' || type === 'parent';

/** The surest thing that the last part of a selector asks for. */
function indexOf(tokens: readonly Selector[]): string {
  let from = tokens.length;
  while (from > 0 && !isTraversal(tokens[from - 1] as Selector)) from--;
  let index = '*';
  for (const token of tokens.slice(from)) {
    if (token.type === 'tag' && index === '*') index = token.name.toLowerCase();
    if (token.type === 'attribute' && token.action === 'equals' && token.name === 'id')
      return `#${token.value}`;
    if (token.type === 'attribute' && token.action === 'element' && token.name === 'class')
      index = `.${token.value}`;
  }
  return index;
}

const [ID, CLASS, NAME] = [1_000_000, 1000, 1];

function specificityOf(tokens: readonly Selector[]): number {
  let sum = 0;
  for (const token of tokens) {
    if (token.type === 'attribute')
      sum += token.name === 'id' && token.action === 'equals' && token.ignoreCase === 'quirks' ? ID : CLASS;
    else if (token.type === 'tag' || token.type === 'pseudo-element') sum += NAME;
    else if (token.type === 'pseudo') {
      if (token.name === 'where') continue;
      const inner = Array.isArray(token.data) ? token.data.map(specificityOf) : undefined;
      sum += inner ? Math.max(0, ...inner) : CLASS;
    }
  }
  return sum;
}
