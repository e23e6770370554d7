/** Cascade layers (CSS Cascade, level 5): in which order they count. */
import type { LayerPath } from './style-rules.js';

/** A place in the order of layers: what stands in none counts more than what stands in any (CSS Cascade, level 5). */
export interface Layer {
  rank: number;
}

interface LayerNode extends Layer {
  readonly children: Map<string, LayerNode>;
}

export class Layers {
  readonly #root: LayerNode = { rank: 0, children: new Map() };

  at(path: LayerPath): Layer {
    let node = this.#root;
    for (const name of path) {
      let child = node.children.get(name);
      if (!child) node.children.set(name, (child = { rank: 0, children: new Map() }));
      node = child;
    }
    return node;
  }

  /** Once all are known: in the order in which they were met, each behind those in it. */
  count(): void {
    let rank = 0;
    const visit = (node: LayerNode): void => {
      for (const child of node.children.values()) visit(child);
      node.rank = ++rank;
    };
    visit(this.#root);
  }
}
