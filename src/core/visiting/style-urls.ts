/** Addresses in the values of styles. */
import type { CssNode } from 'css-tree';
import parse from 'css-tree/parser';
import walk from 'css-tree/walker';
import { unlessTooDeep } from '../reading/css-nodes.js';

/** Addresses that a value names, but for those of names in it; of an image set the one for plain screens. */
export function urlsOf(value: string): string[] {
  if (!/url\(|image-set\(/i.test(value)) return [];
  return unlessTooDeep(() => readUrls(value), []);
}

function readUrls(value: string): string[] {
  const tree = parse(value, { context: 'value', positions: false, onParseError: () => undefined });
  const urls: string[] = [];
  walk(tree, {
    enter(node: CssNode) {
      if (node.type === 'Url') urls.push(node.value);
      if (node.type !== 'Function') return undefined;
      const name = node.name.toLowerCase();
      if (!/^(?:-webkit-)?image-set$/.test(name)) return undefined;
      const chosen = chooseOfSet(node.children.toArray());
      if (chosen !== undefined) urls.push(chosen);
      return walk.skip;
    },
  });
  // What begins so lies in the page itself.
  return urls.filter((url) => url !== '' && !url.startsWith('#'));
}

/** The candidate of an `image-set()` that is sharp enough for one pixel a pixel, else the sharpest. */
function chooseOfSet(nodes: readonly CssNode[]): string | undefined {
  let best: { url: string; density: number } | undefined;
  let url: string | undefined;
  let density = 1;
  const take = (): void => {
    if (url === undefined) return;
    const closer =
      !best || (best.density < 1 ? density > best.density : density >= 1 && density < best.density);
    if (closer) best = { url, density };
    [url, density] = [undefined, 1];
  };
  for (const node of nodes) {
    if (node.type === 'Operator') take();
    else if (node.type === 'Url' || node.type === 'String') url = node.value;
    else if (node.type === 'Dimension' && /^(?:x|dppx)$/i.test(node.unit)) density = Number(node.value);
  }
  take();
  return best?.url;
}
