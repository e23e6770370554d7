/** The addresses of a `srcset`, as the HTML standard parses it (section 4.8.4.2.1), in one pass. */
const SPACE = /[\t\n\f\r ]/;

export function parseSrcset(text: string): { readonly url: string; readonly at: number }[] {
  const urls: { url: string; at: number }[] = [];
  let at = 0;
  const skip = (pattern: RegExp): void => {
    while (at < text.length && pattern.test(text.charAt(at))) at++;
  };
  for (;;) {
    skip(/[\t\n\f\r ,]/);
    if (at >= text.length) return urls;
    const from = at;
    while (at < text.length && !SPACE.test(text.charAt(at))) at++;
    let to = at;
    while (to > from && text.charAt(to - 1) === ',') to--;
    if (to > from) urls.push({ url: text.slice(from, to), at: from });
    // A comma right after the address ends the candidate; otherwise descriptors go on until the next one.
    if (to === at) at = endOfDescriptors(text, at);
  }
}

/** Commas inside parentheses belong to the descriptor. */
function endOfDescriptors(text: string, from: number): number {
  let within = 0;
  let at = from;
  for (; at < text.length; at++) {
    const character = text.charAt(at);
    if (character === '(') within++;
    else if (character === ')') within = Math.max(0, within - 1);
    else if (character === ',' && within === 0) break;
  }
  return at;
}
