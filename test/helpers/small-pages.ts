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

/** A picture that waits until it comes near, behind what stands above it. */
const behind = (above: string, css = '', lazy = '<img loading="lazy" src="far.svg" alt="">'): SmallPage => ({
  head: style(`body { margin: 0 } ${css}`),
  body: `${above}${lazy}`,
  files: { 'far.svg': 'SVG' },
});

const WORDS = 'Water turns the wheel, and the wheel turns the stones. ';
const paragraphs = (count: number): string => `<p>${WORDS.repeat(8)}</p>`.repeat(count);

/** How far down something stands: heights that are set, and what is in no flow. */
export const HEIGHTS: Readonly<Record<string, SmallPage>> = {
  'a height at the element': behind('<div style="height:9000px"></div>'),
  'a height of a rule': behind('<div class="a"></div>', '.a { height: 9000px }'),
  'a low height of a rule': behind(
    `<div class="a">${paragraphs(60)}</div>`,
    '.a { height: 90px; overflow: hidden }',
  ),
  'a least height': behind('<div class="a"></div>', '.a { min-height: 6000px }'),
  'a greatest height': behind(
    `<div class="a">${paragraphs(60)}</div>`,
    '.a { max-height: 300px; overflow: auto }',
  ),
  'a height in windows': behind('<div class="a"></div>', '.a { height: 400vh }'),
  'a height in lines': behind('<div class="a"></div>', '.a { height: 300rem }'),
  'a ratio': behind('<div class="a"></div>', '.a { aspect-ratio: 1 / 5 }'),
  'a ratio and a width': behind('<div class="a"></div>', '.a { width: 300px; aspect-ratio: 1 / 30 }'),
  'a wide ratio': behind('<div class="a"></div>', '.a { aspect-ratio: 16 / 9 }'),
  'padding above': behind('<div class="a"></div>', '.a { padding-top: 7000px }'),
  'padding around': behind('<div class="a"></div>', '.a { padding: 2500px 3px }'),
  margins: behind('<div class="a">x</div>', '.a { margin: 3000px 0 4000px }'),
  'a tall one that is not shown': behind('<div class="a" hidden></div>', '.a { height: 9000px }'),
  'a tall one that nobody displays': behind('<div class="a"></div>', '.a { height: 9000px; display: none }'),
  'a tall one out of the flow': behind(
    '<div class="a"></div>',
    '.a { height: 9000px; position: absolute; width: 9px }',
  ),
  'a tall one that stands still': behind(
    '<nav class="a"></nav>',
    '.a { height: 9000px; position: fixed; width: 9px }',
  ),
  'a tall picture': behind('<img src="t.svg" alt="" class="a">', '.a { height: 5000px; display: block }'),
  'a picture with sizes of its own': behind(
    '<img src="t.svg" alt="" width="300" height="6000" style="display:block">',
  ),
  'a picture with sizes, narrowed': behind(
    '<div style="width:100px"><img src="t.svg" alt="" width="2000" height="6000" class="a"></div>',
    '.a { max-width: 100%; height: auto; display: block }',
  ),
  'much text': behind(paragraphs(60)),
  'little text': behind(paragraphs(6)),
  'much text in a narrow column': behind(`<div style="width:240px">${paragraphs(14)}</div>`),
  'large letters': behind(`<div style="font-size:60px;line-height:1.5">${paragraphs(6)}</div>`),
  'a list of many': behind(`<ul>${'<li>stone</li>'.repeat(300)}</ul>`),
  'a table of many rows': behind(`<table>${'<tr><td>stone</td><td>wheel</td></tr>'.repeat(200)}</table>`),
  'many beside each other': behind(
    `<div class="a">${'<div class="b"></div>'.repeat(9)}</div>`,
    '.a { display: flex } .b { height: 800px; flex: 1 }',
  ),
  'a grid of three columns': behind(
    `<div class="a">${'<div class="b"></div>'.repeat(9)}</div>`,
    '.a { display: grid; grid-template-columns: repeat(3, 1fr) } .b { height: 800px }',
  ),
  'one column of flex': behind(
    `<div class="a">${'<div class="b"></div>'.repeat(9)}</div>`,
    '.a { display: flex; flex-direction: column } .b { height: 800px; flex: none }',
  ),
  'a gap of a grid': behind(
    `<div class="a">${'<div class="b"></div>'.repeat(4)}</div>`,
    '.a { display: grid; gap: 1500px } .b { height: 10px }',
  ),
  'a lazy frame far down': behind(
    '<div style="height:9000px"></div>',
    '',
    '<iframe loading="lazy" src="f.html"></iframe>',
  ),
  'a lazy frame that is near': {
    ...behind('<p>x</p>', '', '<iframe loading="lazy" src="f.html"></iframe>'),
    files: { 'f.html': '<!doctype html><title>f</title><p>y</p>' },
  },
  'one in what is tall itself': behind(
    '',
    '',
    '<div style="height:9000px"><img loading="lazy" src="far.svg" alt=""></div>',
  ),
  'one that is not shown': behind(
    '',
    '.h { display: none }',
    '<img loading="lazy" class="h" src="far.svg" alt="">',
  ),
  'one within what is not shown': behind(
    '',
    '.h { display: none }',
    '<div class="h"><img loading="lazy" src="far.svg" alt=""></div>',
  ),
  'one in closed details': behind(
    '',
    '',
    '<details><summary>s</summary><img loading="lazy" src="far.svg" alt=""></details>',
  ),
  'a height by a name': behind('<div class="a"></div>', ':root { --h: 9000px } .a { height: var(--h) }'),
  'a height that is reckoned': behind('<div class="a"></div>', '.a { height: calc(100vh * 6 + 20px) }'),
  'a height on narrow screens': behind(
    '<div class="a"></div>',
    '@media (max-width: 600px) { .a { height: 9000px } }',
  ),
};

/** Trees of their own that a page declares. */
export const SHADOWS: Readonly<Record<string, SmallPage>> = {
  'a picture in a tree of its own': {
    body: '<div><template shadowrootmode="open"><img src="in.svg" alt=""></template></div>',
    files: { 'in.svg': 'SVG' },
  },
  'a style in a tree of its own': {
    body: '<div><template shadowrootmode="open"><style>p { background: U(own) }</style><p>x</p></template></div><p>y</p>',
  },
  'a style of the page': {
    head: style('.a { background: U(outer) }'),
    body: '<div><template shadowrootmode="open"><p class="a">x</p></template></div>',
  },
  'a linked style in a tree of its own': {
    body: '<div><template shadowrootmode="closed"><link rel="stylesheet" href="s.css"><p>x</p></template></div>',
    files: { 's.css': 'p { background: U(linked) }' },
  },
  'a name that is inherited into it': {
    head: style(':root { --u: U(name) }'),
    body: '<div><template shadowrootmode="open"><style>p { background: var(--u) }</style><p>x</p></template></div>',
  },
  'its host': {
    body: '<div><template shadowrootmode="open"><style>:host { background: U(host) }</style><p>x</p></template></div>',
  },
  'what is put into it': {
    body: '<div><template shadowrootmode="open"><style>::slotted(p) { background: U(slotted) }</style><slot></slot></template><p>x</p></div>',
  },
  'what it leaves out': {
    head: style('.a { background: U(out) }'),
    body: '<div><template shadowrootmode="open"><p>x</p></template><p class="a">not shown</p></div>',
  },
  'what it leaves out has a picture': {
    body: '<div><template shadowrootmode="open"><p>x</p></template><img src="in.svg" alt=""></div>',
    files: { 'in.svg': 'SVG' },
  },
  'one within another': {
    body: '<div><template shadowrootmode="open"><section><template shadowrootmode="open"><img src="in.svg" alt=""></template></section></template></div>',
    files: { 'in.svg': 'SVG' },
  },
  'one where none may be': {
    body: '<a><template shadowrootmode="open"><img src="in.svg" alt=""></template></a>',
    files: { 'in.svg': 'SVG' },
  },
  'a second one': {
    body: '<div><template shadowrootmode="open"><p>x</p></template><template shadowrootmode="open"><img src="in.svg" alt=""></template></div>',
    files: { 'in.svg': 'SVG' },
  },
  'a script in it': {
    body: '<div><template shadowrootmode="open"><script src="a.js"></script></template></div>',
    files: { 'a.js': '' },
  },
};
