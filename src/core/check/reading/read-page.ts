/** References in HTML: every element and attribute that loads something or links somewhere. */
import { html, parse, type DefaultTreeAdapterTypes as Tree } from 'parse5';
import { LEAN_TREE, type Marked } from './lean-tree.js';
import { readImports, secureFeatures } from './read-script.js';
import { readStyleText } from './read-style.js';
import type { Reading, Reference, Use } from './reading.js';
import { parseSrcset } from './srcset.js';

type Attributes = ReadonlyMap<string, string>;

/** Attributes that hold one address, by element; what depends on other attributes is in `special`. */
const PLAIN: Readonly<Record<string, readonly (readonly [attribute: string, use: Use])[]>> = {
  a: [['href', 'link']],
  area: [['href', 'link']],
  img: [['src', 'image']],
  video: [
    ['src', 'media'],
    ['poster', 'image'],
  ],
  audio: [['src', 'media']],
  track: [['src', 'captions']],
  iframe: [['src', 'frame']],
  frame: [['src', 'frame']],
  embed: [['src', 'frame']],
  object: [['data', 'frame']],
  body: [['background', 'image']],
  table: [['background', 'image']],
  td: [['background', 'image']],
  th: [['background', 'image']],
  blockquote: [['cite', 'link']],
  q: [['cite', 'link']],
  ins: [['cite', 'link']],
  del: [['cite', 'link']],
  image: [['href', 'image']],
  use: [['href', 'image']],
  feimage: [['href', 'image']],
};

/** What a preload says that it is for. */
const PRELOADED: Readonly<Record<string, Use>> = {
  style: 'style',
  script: 'script',
  font: 'font',
  image: 'image',
  video: 'media',
  audio: 'media',
  track: 'captions',
  fetch: 'data',
  document: 'frame',
};

const CARDS = /^(?:og:(?:image|url|audio|video)(?::(?:url|secure_url))?|twitter:image)$/i;
/** Elements that show something though they hold no text. */
const SHOWS = new Set([
  'img',
  'video',
  'audio',
  'iframe',
  'object',
  'embed',
  'canvas',
  'svg',
  'form',
  'input',
  'picture',
  'frameset',
]);
const HIDDEN = new Set(['script', 'style', 'template', 'title', 'head', 'noscript']);

class PageReader {
  readonly references: Reference[] = [];
  readonly anchors = new Set<string>();
  readonly features: { feature: string; line: number }[] = [];
  base: string | undefined;
  serverCode: Reading['serverCode'];
  importMap = false;
  scripted = false;
  empty = true;

  add(use: Use, raw: string | undefined, line: number, more: Partial<Reference> = {}): void {
    if (raw !== undefined) this.references.push({ use, raw: raw.trim(), line, ...more });
  }

  /** Walks without recursion: a hostile page may nest as deep as it likes. */
  read(document: Tree.Document): void {
    const stack: { node: Tree.Node; hidden: boolean; parent: string }[] = [
      { node: document, hidden: false, parent: '' },
    ];
    for (let next = stack.pop(); next; next = stack.pop()) {
      const { node, hidden, parent } = next;
      if (node.nodeName === '#comment') {
        this.comment(node as Tree.CommentNode);
        continue;
      }
      const element = 'attrs' in node ? node : undefined;
      if (element) this.element(element, parent);
      const content = node.nodeName === 'template' ? (node as Tree.Template).content : node;
      if (!('childNodes' in content)) continue;
      const inside = hidden || HIDDEN.has(node.nodeName);
      if (this.empty && !inside && (content as Marked).shows) this.empty = false;
      const name = element?.tagName ?? parent;
      for (let at = content.childNodes.length - 1; at >= 0; at--) {
        const child = content.childNodes[at];
        if (child) stack.push({ node: child, hidden: inside, parent: name });
      }
    }
  }

  private comment({ data, sourceCodeLocation }: Tree.CommentNode): void {
    const what = /^#\s*(?:include|exec|echo)\b/.test(data)
      ? 'a server-side include'
      : /^\?php\b/.test(data)
        ? 'PHP'
        : undefined;
    if (what !== undefined) this.serverCode ??= { what, line: sourceCodeLocation?.startLine ?? 1 };
  }

  private element(element: Tree.Element, parent: string): void {
    const name = element.tagName.toLowerCase();
    if (SHOWS.has(name)) this.empty = false;
    if (element.attrs.length === 0 && name !== 'style' && name !== 'script') return;
    const attributes: Attributes = new Map(
      element.attrs.map(({ name: attribute, value, prefix }) => [
        prefix === undefined || prefix === '' ? attribute : attribute.replace(/^.*:/, ''),
        value,
      ]),
    );
    const places = element.sourceCodeLocation;
    const line = (attribute: string): number =>
      places?.attrs?.[attribute]?.startLine ?? places?.startLine ?? 1;
    const id = attributes.get('id');
    if (id !== undefined) this.anchors.add(id);
    if (name === 'a') {
      const anchor = attributes.get('name');
      if (anchor !== undefined) this.anchors.add(anchor);
    }
    const style = attributes.get('style');
    if (style !== undefined) this.references.push(...readStyleText(style, line('style'), 'declarations'));
    const declared = attributes.get('type');
    for (const [attribute, use] of (Object.hasOwn(PLAIN, name) ? PLAIN[name] : undefined) ?? [])
      this.add(
        use,
        attributes.get(attribute),
        line(attribute),
        name === 'object' && declared ? { declared } : {},
      );
    this.special(name, element, attributes, line, parent);
  }

  private special(
    name: string,
    element: Tree.Element,
    attributes: Attributes,
    line: (attribute: string) => number,
    parent: string,
  ): void {
    const declared = attributes.get('type');
    const typed = declared === undefined ? {} : { declared };
    switch (name) {
      case 'base':
        this.base ??= attributes.get('href')?.trim();
        return;
      case 'link':
        return this.link(attributes, line('href'), typed);
      case 'script':
        return this.script(element, attributes, line('src'));
      case 'style':
        this.references.push(...readStyleText(textOf(element), firstLine(element)));
        return;
      case 'img':
        return this.srcset(attributes.get('srcset'), line('srcset'), {});
      case 'source':
        this.srcset(attributes.get('srcset'), line('srcset'), typed);
        this.add(parent === 'picture' ? 'image' : 'media', attributes.get('src'), line('src'), typed);
        return;
      case 'input':
        if (declared?.toLowerCase() === 'image') this.add('image', attributes.get('src'), line('src'));
        this.form(attributes.get('formaction'), attributes.get('formmethod'), line('formaction'));
        return;
      case 'button':
        this.form(attributes.get('formaction'), attributes.get('formmethod'), line('formaction'));
        return;
      case 'form':
        this.form(attributes.get('action') ?? '', attributes.get('method'), line('action'));
        return;
      case 'meta':
        return this.meta(attributes, line('content'));
    }
  }

  private form(action: string | undefined, method: string | undefined, line: number): void {
    const verb = method?.toUpperCase();
    if (verb === 'DIALOG') return;
    this.add('form', action, line, verb === 'POST' ? { method: verb } : {});
  }

  private link(attributes: Attributes, line: number, typed: { declared?: string }): void {
    const href = attributes.get('href');
    const rels = new Set((attributes.get('rel') ?? '').toLowerCase().split(/\s+/));
    const has = (...names: string[]): boolean => names.some((each) => rels.has(each));
    if (has('preconnect', 'dns-prefetch') || rels.size === 0) return;
    if (has('stylesheet')) {
      if (!has('alternate')) this.add('style', href, line, typed);
      else this.add('style', href, line);
    } else if (has('icon', 'apple-touch-icon', 'apple-touch-icon-precomposed', 'mask-icon'))
      this.add('image', href, line, typed);
    else if (has('manifest')) this.add('manifest', href, line);
    else if (has('modulepreload')) this.add('module', href, line);
    else if (has('preload')) {
      const as = (attributes.get('as') ?? '').toLowerCase();
      const use = (Object.hasOwn(PRELOADED, as) ? PRELOADED[as] : undefined) ?? 'data';
      this.srcset(attributes.get('imagesrcset'), line, typed);
      const withoutCors = use === 'font' && !attributes.has('crossorigin');
      this.add(use, href, line, { ...typed, ...(withoutCors ? { withoutCors } : {}) });
    } else if (has('canonical', 'alternate', 'shortlink')) this.add('identity', href, line, typed);
    else this.add('link', href, line);
  }

  private script(element: Tree.Element, attributes: Attributes, line: number): void {
    const type = (attributes.get('type') ?? '').trim().toLowerCase();
    const src = attributes.get('src');
    const classic = type === '' || JAVASCRIPT.test(type);
    if (type === 'module' || classic) {
      this.scripted = true;
      const use = type === 'module' ? 'module' : 'script';
      if (src !== undefined)
        return this.add(use, src, line, type !== '' && classic ? { declared: type } : {});
      const text = textOf(element);
      const first = firstLine(element);
      if (type === 'module') this.references.push(...readImports(text, first));
      this.features.push(...secureFeatures(text, first));
      return;
    }
    if (type === 'importmap') this.importMap = true;
    else if (src !== undefined && type !== 'speculationrules') this.add('data', src, line);
  }

  private meta(attributes: Attributes, line: number): void {
    const content = attributes.get('content');
    if (content === undefined) return;
    if (attributes.get('http-equiv')?.toLowerCase() === 'refresh') {
      const target = refreshTarget(content);
      this.add('link', target, line);
    } else if (CARDS.test(attributes.get('property') ?? attributes.get('name') ?? ''))
      this.add('identity', content, line);
  }

  /** Candidates are parted by commas that white space follows or that follow a descriptor. */
  private srcset(text: string | undefined, line: number, typed: { declared?: string }): void {
    if (text === undefined) return;
    for (const url of parseSrcset(text)) this.add('image', url, line, typed);
  }
}

/** Where `5; url=/there` leads; undefined when it only reloads. */
function refreshTarget(content: string): string | undefined {
  const rest = /^[\d.\s]*[;,](.*)$/s.exec(content)?.[1]?.trim();
  if (rest === undefined) return undefined;
  const url = rest.replace(/^url\s*=/i, '').trim();
  const quote = /^["']/.exec(url)?.[0];
  const target = (quote === undefined ? url : url.slice(1)).split(/["']/, 1)[0]?.trim();
  return target === '' ? undefined : target;
}

const JAVASCRIPT =
  /^(?:text|application)\/(?:x-)?(?:java|ecma)script$|^text\/(?:jscript|livescript|javascript1\.[0-5])$/;

const textOf = (element: Tree.Element): string =>
  element.childNodes.map((node) => (node.nodeName === '#text' ? (node as Tree.TextNode).value : '')).join('');

const firstLine = (element: Tree.Element): number => element.sourceCodeLocation?.startTag?.endLine ?? 1;

export function readPage(text: string): Reading {
  const document = parse(text, {
    sourceCodeLocationInfo: true,
    scriptingEnabled: false,
    treeAdapter: LEAN_TREE,
  });
  const reader = new PageReader();
  reader.read(document);
  const { references, anchors, features, base, serverCode, importMap, empty, scripted } = reader;
  return {
    kind: 'page',
    references,
    anchors,
    quirksMode: document.mode === html.DOCUMENT_MODE.QUIRKS,
    empty,
    scripted,
    secureFeatures: features,
    importMap,
    ...(base === undefined ? {} : { base }),
    ...(serverCode === undefined ? {} : { serverCode }),
  };
}
