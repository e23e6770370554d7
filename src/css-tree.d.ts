// The parts of the library that read styles; its whole checks values too, with tables that nothing here asks for.
declare module 'css-tree/parser' {
  import type { parse } from 'css-tree';
  const parser: typeof parse;
  export default parser;
}
declare module 'css-tree/walker' {
  import type { walk } from 'css-tree';
  const walker: typeof walk;
  export default walker;
}
