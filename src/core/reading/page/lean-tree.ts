/** The tree that a page is parsed into: without what no reading asks of it. */
import { defaultTreeAdapter, type DefaultTreeAdapterTypes as Tree, type TreeAdapter } from 'parse5';

/** Elements whose text is read. */
const READ_TEXT = new Set(['script', 'style']);
/** A parent of text, marked when there is something to see in it. */
export type Marked = Tree.ParentNode & { shows?: boolean };

function mark(parent: Marked, text: string): void {
  if (!parent.shows && /\S/.test(text)) parent.shows = true;
}

/** A tree without what nobody asks of it: the text of paragraphs, where elements end. It is most of a page. */
export const LEAN_TREE: TreeAdapter<Tree.DefaultTreeAdapterMap> = {
  ...defaultTreeAdapter,
  // A text that was left out is asked for all the same, as the last child of its parent.
  getNodeSourceCodeLocation: (node: Tree.Node | undefined) => node?.sourceCodeLocation,
  setNodeSourceCodeLocation(node: Tree.Node | undefined, location) {
    if (!node) return;
    if ('attrs' in node || node.nodeName === '#comment') node.sourceCodeLocation = location;
  },
  updateNodeSourceCodeLocation: () => undefined,
  insertText(parent, text) {
    if (READ_TEXT.has(parent.nodeName)) defaultTreeAdapter.insertText(parent, text);
    else mark(parent, text);
  },
  insertTextBefore(parent, text) {
    mark(parent, text);
  },
};
