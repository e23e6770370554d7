/** Small pages that each make a browser decide one thing. Each lies in a folder of its own; `U(x)` is an address of a picture in it. */

export interface SmallPage {
  /** What stands in the head after its title, and the body. */
  readonly head?: string;
  readonly body: string;
  /** Further files of the folder, by name. */
  readonly files?: Readonly<Record<string, string>>;
}

const style = (text: string): string => `<style>${text}</style>`;
const styled = (css: string, body = '<p class="a">x</p>'): SmallPage => ({ head: style(css), body });

/** Custom properties: which declaration counts, and from where. */
export const CUSTOM: Readonly<Record<string, SmallPage>> = {
  'a declaration of another selector': styled(
    ':root { --u: U(root) } .dark { --u: U(dark) } .a { background: var(--u) }',
  ),
  'a declaration under a query that does not hold': styled(
    ':root { --u: U(light) } @media (prefers-color-scheme: dark) { :root { --u: U(night) } } .a { background: var(--u) }',
  ),
  'a declaration after its use': styled('.a { background: var(--u) } :root { --u: U(later) }'),
  'a declaration in a sheet after its use': {
    head: '<link rel="stylesheet" href="one.css"><link rel="stylesheet" href="two.css">',
    body: '<p class="a">x</p>',
    files: { 'one.css': '.a { background: var(--u) }', 'two.css': ':root { --u: U(second) }' },
  },
  'a fallback': styled('.a { background: var(--none, U(fallback)) }'),
  'a fallback that is not needed': styled(':root { --u: U(set) } .a { background: var(--u, U(spare)) }'),
  'a fallback within a fallback': styled('.a { background: var(--x, var(--y, U(inner))) }'),
  'nothing at all': styled('.a { background: U(beaten); } p.a { background: var(--none) }'),
  'a value that is inherited': styled(
    '.outer { --u: U(outer) } .inner { --u: U(inner) } .a { background: var(--u) }',
    '<div class="outer"><div class="inner"><p class="a">x</p></div><p class="a">y</p></div><p class="a">z</p>',
  ),
  'a value that is taken away': styled(
    ':root { --u: U(gone) } .b { --u: initial } .a { background: var(--u, U(instead)) }',
    '<div class="b"><p class="a">x</p></div>',
  ),
  'the more specific one': styled(
    '#i { --u: U(id) } p.a { --u: U(class) } .a { background: var(--u) }',
    '<p class="a" id="i">x</p>',
  ),
  'an important one': styled(
    '.a { --u: U(important) !important } #i { --u: U(id) } .a { background: var(--u) }',
    '<p class="a" id="i">x</p>',
  ),
  'one made of others': styled(
    ':root { --a: U(one); --b: var(--a), U(two); } .a { background-image: var(--b) }',
  ),
  'a circle': styled(':root { --a: var(--b); --b: var(--a, U(never)) } .a { background: var(--a, U(out)) }'),
  'one in the style of an element': {
    head: style(':root { --u: U(sheet) } .a { background: var(--u) }'),
    body: '<p class="a" style="--u: U(attribute)">x</p>',
  },
  'one that nobody uses': styled(':root { --u: U(unused) } .a { color: red }'),
  'one on an element that is not shown': styled('.a { display: none; --u: U(hidden); background: var(--u) }'),
  'one before an element': styled('.a { --u: U(host) } .a::before { content: ""; background: var(--u) }'),
  'a list mark': styled(':root { --u: U(mark) } ul { list-style-image: var(--u) }', '<ul><li>x</li></ul>'),
  'from a folder of its own': {
    head: '<link rel="stylesheet" href="deep/one.css"><link rel="stylesheet" href="two.css">',
    body: '<p class="a">x</p>',
    files: {
      'deep/one.css': ':root { --u: url(where.svg) }',
      'two.css': '.a { background: var(--u) }',
      'deep/where.svg': 'SVG',
      'where.svg': 'SVG',
    },
  },
};

/** Layers, parts of elements, and blocks that only say when. */
export const CASCADE: Readonly<Record<string, SmallPage>> = {
  'a layer under none': styled('.a { background: U(plain) } @layer x { p.a { background: U(layered) } }'),
  'the later of two layers': styled(
    '@layer one { p.a { background: U(first) } } @layer two { .a { background: U(second) } }',
  ),
  'layers in an order that was said before': styled(
    '@layer two, one; @layer one { .a { background: U(first) } } @layer two { p.a { background: U(second) } }',
  ),
  'an important one in the first of two layers': styled(
    '@layer one { .a { background: U(first) !important } } @layer two { p.a { background: U(second) !important } }',
  ),
  'a layer within a layer': styled(
    '@layer x { .a { background: U(outer) } @layer y { p.a { background: U(inner) } } }',
  ),
  'a sheet that is imported into a layer': {
    head: style('@import "one.css" layer(base); .a { background: U(plain) }'),
    body: '<p class="a">x</p>',
    files: { 'one.css': 'p.a { background: U(imported) }' },
  },
  'a mark that is not shown': styled('.a { background: U(shown) } .a::marker { display: none }'),
  'a first letter that is not shown': styled(
    '.a { background: U(shown) } .a::first-letter { display: none; background: U(letter) }',
  ),
  'something before it that is not shown': styled(
    '.a { background: U(shown) } .a:before { content: ""; display: none; background: U(before) }',
  ),
  'a first letter with a picture': styled('.a::first-letter { background: U(letter) }'),
  'a first line with a picture': styled('.a::first-line { background: U(line) }'),
  'a mark that is a picture': styled(
    'li::marker { content: U(mark) } p::marker { content: U(none) }',
    '<ul><li>x</li></ul><p>y</p>',
  ),
  'an import after a rule': styled('.a { color: red } @import "one.css"; .a { background: U(shown) }'),
  'a shape': styled('.a { float: left; width: 50px; height: 50px; shape-outside: U(shape) }'),
};

const GRAPHIC =
  '<svg xmlns="http://www.w3.org/2000/svg" width="1" height="1"><filter id="x"/><clipPath id="x2"/><mask id="m"/></svg>';

/** A font that a browser takes. */
const FONTS = { 'a.woff2': 'FONT', 'b.woff2': 'FONT' };

/** What else may ask for something. */
export const FURTHER: Readonly<Record<string, SmallPage>> = {
  'a filter of another file': {
    ...styled('.a { filter: url(f.svg#x) }'),
    files: { 'f.svg': GRAPHIC },
  },
  'a filter of the page': styled('.a { filter: url(#x) }', '<p class="a">x</p><svg><filter id="x"/></svg>'),
  'a clip path of another file': {
    ...styled('.a { clip-path: url(f.svg#x2) }'),
    files: { 'f.svg': GRAPHIC },
  },
  'a mask of another file': { ...styled('.a { mask: url(f.svg#m) }'), files: { 'f.svg': GRAPHIC } },
  'a fill of another file': {
    ...styled('rect { fill: url(f.svg#x) }', '<svg><rect width="5" height="5"/></svg>'),
    files: { 'f.svg': GRAPHIC },
  },
  'a fill on a paragraph': { ...styled('.a { fill: url(f.svg#x) }'), files: { 'f.svg': GRAPHIC } },
  'details that are closed': styled(
    '.a { background: U(inside) } summary { background: U(summary) }',
    '<details><summary>s</summary><p class="a">x</p></details>',
  ),
  'details that are open': styled(
    '.a { background: U(inside) }',
    '<details open><summary>s</summary><p class="a">x</p></details>',
  ),
  'details without a summary': styled(
    '.a { background: U(inside) }',
    '<details><p class="a">x</p></details>',
  ),
  'a popover': styled('.a { background: U(popover) }', '<div popover class="a">x</div>'),
  'a popover with a picture': styled('', '<div popover><img src="one.png" alt=""></div>'),
  'content that is not shown': styled(
    '.a { content-visibility: hidden } .b { background: U(within) } .a { background: U(own) }',
    '<div class="a"><p class="b">x</p></div>',
  ),
  'a frame by its text': {
    body: '<iframe srcdoc="&lt;img src=&quot;in.svg&quot;&gt;"></iframe>',
    files: { 'in.svg': 'SVG' },
  },
  'a frame by its text, with a style': {
    body: '<iframe srcdoc="&lt;link rel=stylesheet href=in.css&gt;x"></iframe>',
    files: { 'in.css': 'body { background: U(deep) }' },
  },
  'a template': { body: '<template><img src="in.svg" alt=""></template>', files: { 'in.svg': 'SVG' } },
  'a script of another language': {
    body: '<script language="vbscript" src="a.js"></script>',
    files: { 'a.js': '' },
  },
  'a script whose language is an old one': {
    body: '<script language="JavaScript1.2" src="a.js"></script>',
    files: { 'a.js': '' },
  },
  'an object of an unknown type': {
    body: '<object data="a.x" type="application/x-none">x</object>',
    files: { 'a.x': 'x' },
  },
  'an object without a type': { body: '<object data="a.svg">x</object>', files: { 'a.svg': 'SVG' } },
  'an embedded graphic with a picture in it': {
    body: '<object data="g.svg" type="image/svg+xml"></object>',
    files: {
      'g.svg':
        '<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><image href="in.svg" width="5" height="5"/></svg>',
      'in.svg': 'SVG',
    },
  },
  'a graphic as a picture with one in it': {
    body: '<img src="g.svg" alt="">',
    files: {
      'g.svg':
        '<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><image href="in.svg" width="5" height="5"/></svg>',
      'in.svg': 'SVG',
    },
  },
  keyframes: styled('@keyframes k { to { background: U(end) } } .a { animation: k 9s } '),
  'keyframes that nobody uses': styled('@keyframes k { to { background: U(end) } }'),
  'a registered property': styled(
    '@property --u { syntax: "*"; inherits: false; initial-value: U(initial) } .a { background: var(--u) }',
  ),
  'a font with a technology': {
    ...styled(
      '@font-face { font-family: F; src: url(a.woff2) format("woff2") tech(color-COLRv1), url(b.woff2) format("woff2") } .a { font-family: F }',
    ),
    files: FONTS,
  },
  'a font with a technology that nobody has': {
    ...styled(
      '@font-face { font-family: F; src: url(a.woff2) format("woff2") tech(color-nothing), url(b.woff2) format("woff2") } .a { font-family: F }',
    ),
    files: FONTS,
  },
  'a family by its name': {
    ...styled(
      ':root { --f: F, serif } @font-face { font-family: F; src: url(a.woff2) } .a { font-family: var(--f) }',
    ),
    files: FONTS,
  },
  'a frame that asks for what the page asked for': {
    head: '<link rel="stylesheet" href="s.css">',
    body: '<p>x</p><iframe src="frame.html"></iframe>',
    files: {
      's.css': 'p { color: red }',
      'frame.html': '<!doctype html><title>f</title><link rel="stylesheet" href="s.css"><p>y</p>',
    },
  },
};
