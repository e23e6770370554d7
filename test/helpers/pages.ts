/** Made-up pages, from tidy ones to ones that no tool would write. */

/** @param wild 0 for pages that nest as they should, 3 for anything */
export function makePage(next: () => number, wild: number): string {
  const pick = <T>(list: readonly T[]): T => list[Math.floor(next() * list.length)] as T;
  const maybe = (share: number): boolean => next() < share;
  const space = (): string => pick([' ', '\n', '  ', '\t', '\r\n', '\n  ']);
  const value = (): string =>
    pick([
      '/a',
      'b.html#c',
      '../d/?e=f&amp;g=h',
      ' /padded ',
      '/x&y',
      '&#47;k',
      '//tide.example/',
      '',
      '/ü',
      '/a\nb',
      '#top',
      '&lt;',
    ]);
  const NAMES = [
    'href',
    'src',
    'id',
    'class',
    'style',
    'srcset',
    'type',
    'name',
    'data',
    'alt',
    'xlink:href',
    'HREF',
    'poster',
    'cite',
  ];
  const attribute = (): string => {
    const name = pick(NAMES);
    const is =
      name === 'style'
        ? pick(['background:url(/s.png)', 'color:red', 'a:url(&quot;/q.png&quot;)', "b:url('t t.png') ; c"])
        : name === 'srcset'
          ? pick(['/1.png 1x, /2.png 2x', '/1.png', ' ,/c,d.png 2x', '/e&amp;f 1x,/g'])
          : name === 'type'
            ? pick(['module', 'image/webp', 'text/css', 'image', 'text/template'])
            : value();
    if (maybe(0.05)) return name;
    if (maybe(0.15) && /^[^\s"'<>=`]+$/.test(is)) return `${name}=${is}`;
    const around = maybe(0.1) ? space() : '';
    return maybe(0.3) && !is.includes("'")
      ? `${name}${around}='${is}'`
      : `${name}=${around}"${is.replaceAll('"', '&quot;')}"`;
  };
  const attributes = (): string => {
    let text = '';
    for (let n = Math.floor(next() * 4); n > 0; n--) text += space() + attribute();
    return text + (maybe(0.1) ? pick([' ', '/', ' /', '\n']) : '');
  };
  const rels = ['stylesheet', 'icon', 'preload', 'canonical', 'manifest', 'next', 'alternate stylesheet'];
  const tag = (name: string): string => {
    const special =
      name === 'link'
        ? ` rel="${pick(rels)}"${maybe(0.3) ? ' as=font' : ''}`
        : name === 'meta'
          ? pick([
              ' http-equiv=refresh content="0;url=/m"',
              ' property="og:image" content="/o.png"',
              ' charset=utf-8',
            ])
          : name === 'form'
            ? pick(['', ' method=post', ' method=dialog', ' action="/f"', ' class=x'])
            : '';
    const written = wild > 1 && maybe(0.1) ? name.toUpperCase() : name;
    return `<${written}${special}${attributes()}>`;
  };
  const text = (): string =>
    pick(['tide', ' ', '\n', '&nbsp;', 'a &amp; b', '', ' < ', '\u00a0', 'x&y', '\r\n']);
  const comment = (): string =>
    pick([
      '<!-- a <b> -->',
      '<!--#include virtual="/m" -->',
      '<!---->',
      '<?php echo ?>',
      '<!-- -- > -->',
      '<!-->',
      '<!x>',
      '</>',
    ]);
  const raw = (): string =>
    pick([
      '<script>let a = "<b>";</script>',
      '<script type=module>import "/m.js";\nimport("./n.js")</script>',
      '<script src="/s.js" defer></script>',
      '<script>navigator.geolocation.getCurrentPosition(f)</script>',
      '<script>\n\n"<!--"</script>',
      '<style>\n@import "/i.css";\n.a{b:url(/c.png)}</style>',
      '<style></style >',
      '<title>a &lt;b</title>',
      '<textarea>\n</textarea>',
      '<textarea>x</textarea>',
      '<iframe src="/f"></iframe>',
    ]);
  const VOID = ['img', 'br', 'input', 'link', 'meta', 'source', 'hr', 'embed', 'area', 'wbr', 'base'];
  const INLINE = [
    'a',
    'b',
    'span',
    'em',
    'code',
    'q',
    'label',
    'picture',
    'video',
    'my-owl',
    'del',
    'object',
    'button',
    'noscript',
  ];
  const BLOCK = [
    'div',
    'p',
    'h2',
    'section',
    'blockquote',
    'pre',
    'form',
    'main',
    'dialog',
    'center',
    'address',
  ];
  const svg = (deep: number): string => {
    const inside = deep > 2 || maybe(0.4) ? '' : svg(deep + 1);
    return pick([
      `<svg${attributes()}><title>o</title><use${attributes()}/>${inside}</svg>`,
      `<g${attributes()}><a${attributes()}>t</a>${inside}<path/></g>`,
      `<image${attributes()}/>`,
      wild > 1 ? '<foreignObject><p>x</p></foreignObject>' : '<desc>d</desc>',
    ]);
  };
  const table = (deep: number): string => {
    const cell = (): string =>
      `<${pick(['td', 'th'])}${attributes()}>${content(deep + 1)}${maybe(0.8) ? '</td>' : ''}`.replace(
        /^<th(.*)<\/td>$/s,
        '<th$1</th>',
      );
    const row = (): string => `<tr>${cell()}${cell()}${maybe(0.8) ? '</tr>' : ''}`;
    const rows = `${row()}${space()}${row()}`;
    const caption = maybe(0.3) ? '<caption>c</caption>' : '';
    const columns = maybe(0.2) ? '<colgroup><col><col></colgroup>' : maybe(0.1) ? '<col>' : '';
    const loose = wild > 1 && maybe(0.2) ? pick(['<form>', '<input type=hidden>', 'stray', '<p>x</p>']) : '';
    return `<table${attributes()}>${caption}${columns}${loose}${maybe(0.6) ? `<thead>${row()}</thead><tbody>${rows}</tbody>` : rows}</table>`;
  };
  function content(deep: number): string {
    let out = '';
    for (let n = Math.floor(next() * 4) + 1; n > 0; n--) out += part(deep);
    return out;
  }
  function part(deep: number): string {
    const kind = next();
    if (deep > 5 || kind < 0.22) return text();
    if (kind < 0.36) return tag(pick(VOID));
    if (kind < 0.4) return comment();
    if (kind < 0.45) return raw();
    if (kind < 0.49) return `<svg>${svg(0)}</svg>`;
    if (kind < 0.54) return table(deep);
    if (kind < 0.58) {
      const item = (): string => `<li${attributes()}>${content(deep + 1)}${maybe(0.7) ? '</li>' : ''}`;
      return `<ul>${item()}${item()}</ul>`;
    }
    if (kind < 0.6)
      return `<dl><dt>a${maybe(0.5) ? '</dt>' : ''}<dd${attributes()}>${content(deep + 1)}</dl>`;
    if (kind < 0.62) return `<select name=s><option>a<option>b${maybe(0.5) ? '</option>' : ''}</select>`;
    const inline = kind < 0.8;
    const name = pick(inline ? INLINE : BLOCK);
    const inside = inline && wild === 0 ? text() : content(deep + 1);
    const end =
      name === 'p' && maybe(0.5)
        ? ''
        : wild > 0 && maybe(0.04 * wild)
          ? pick(['', `</${pick(BLOCK)}>`])
          : `</${name}>`;
    return `${tag(name)}${inside}${end}`;
  }
  const doctype = pick([
    '<!doctype html>',
    '<!DOCTYPE html>\n',
    '',
    '<!doctype html public "-//W3C//DTD HTML 3.2//EN">',
    '<!-- c --><!doctype html>',
    '<!DOCTYPE html PUBLIC "-//W3C//DTD XHTML 1.0 Transitional//EN" "x">',
  ]);
  const head = (): string => {
    let out = '';
    for (let n = Math.floor(next() * 4); n > 0; n--)
      out += maybe(0.2)
        ? `<noscript>${tag('link')}</noscript>`
        : maybe(0.3)
          ? raw()
          : `${tag(pick(['link', 'meta', 'base']))}${space()}`;
    return out;
  };
  const begin = pick([
    '',
    `<html lang=en><head>${head()}</head><body${attributes()}>`,
    `<html><head>${head()}</head>\n<body>`,
    `<head>${head()}`,
    head(),
    '<body>',
  ]);
  const end = pick([
    '',
    '</body></html>',
    '</body>\n</html>\n',
    '</html>',
    '</body><!--#exec x -->',
    '</body><p>more',
  ]);
  return `${doctype}${begin}${content(0)}${end}`;
}
