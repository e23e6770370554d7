/**
 * Strongly connected components of a graph, each after those that it leads to (Tarjan's algorithm), without recursion:
 * a hostile site may chain as many files as it likes.
 */

/** @param edges of each node, the numbers of those that it leads to @returns numbers of nodes, innermost first */
export function listComponents(edges: readonly (readonly number[])[]): number[][] {
  const count = edges.length;
  const index = new Int32Array(count).fill(-1);
  const low = new Int32Array(count);
  const isOpen = new Uint8Array(count);
  const open: number[] = [];
  const components: number[][] = [];
  let next = 0;
  for (let root = 0; root < count; root++) {
    if ((index[root] ?? 0) >= 0) continue;
    const path: { readonly node: number; edge: number }[] = [];
    const enter = (node: number): void => {
      index[node] = low[node] = next++;
      isOpen[node] = 1;
      open.push(node);
      path.push({ node, edge: 0 });
    };
    enter(root);
    for (let top = path.at(-1); top; top = path.at(-1)) {
      const { node } = top;
      const target = edges[node]?.[top.edge++];
      if (target === undefined) {
        path.pop();
        const above = path.at(-1)?.node;
        if (above !== undefined) low[above] = Math.min(low[above] ?? 0, low[node] ?? 0);
        if (low[node] !== index[node]) continue;
        const component = open.splice(open.lastIndexOf(node));
        for (const each of component) isOpen[each] = 0;
        components.push(component);
      } else if ((index[target] ?? 0) < 0) enter(target);
      else if (isOpen[target]) low[node] = Math.min(low[node] ?? 0, index[target] ?? 0);
    }
  }
  return components;
}
