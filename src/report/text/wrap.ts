/** Breaking texts at words, so that nothing is cut and nothing runs over the edge of a terminal. */
import stringWidth from 'fast-string-width';

/** Codes of colours: one of the first sixteen, or one of 256 (`38;5;30`). */
const CODES = /\u001b\[((?:38;5;)?\d{1,3})m/g;

/** Letters and characters of one column each: those of our own words are among them. */
const NARROW = /^[\u0020-\u007e\u00a1-\u00ac\u00ae-\u017f–—‘’“”…→─│└├═█░■✓✗]*$/;

/** Columns that a text takes on the terminal. */
export const widthOf = (text: string): number => {
  const bare = text.replace(CODES, '');
  return NARROW.test(bare) ? bare.length : stringWidth(bare);
};

/** Where a word too long for a line may be broken: after what parts paths, hosts and lists. */
const AFTER = /(?<=[/,;:=&?_-])/;

/** How wide the widest part of a text is that is not broken of itself. */
export const longestPart = (text: string): number =>
  Math.max(
    0,
    ...text
      .replace(CODES, '')
      .split(' ')
      .flatMap((word) => word.split(AFTER))
      .map(widthOf),
  );

/** Breaks a text into lines of a width; colours go on in the next line. */
export function wrapWords(text: string, width: number): string[] {
  if (widthOf(text) <= width) return [text];
  const lines: string[] = [];
  let line = '';
  let taken = 0;
  const add = (word: string, space: boolean): void => {
    const wide = widthOf(word);
    if (taken > 0 && taken + (space ? 1 : 0) + wide > width) {
      lines.push(line);
      [line, taken] = [word, wide];
      return;
    }
    line += (space && taken > 0 ? ' ' : '') + word;
    taken += (space && taken > 0 ? 1 : 0) + wide;
  };
  for (const word of text.split(' ')) {
    if (widthOf(word) <= width) add(word, true);
    else for (const [at, part] of partsOf(word, width).entries()) add(part, at === 0);
  }
  lines.push(line);
  return carryColours(lines);
}

/** A long word in parts of no more than a width. */
function partsOf(word: string, width: number): string[] {
  // Colours are left whole: a part never begins within one.
  const pieces = word.split(/(\u001b\[(?:38;5;)?\d{1,3}m)/);
  return pieces.flatMap((piece) =>
    piece.startsWith('\u001b') ? [piece] : piece.split(AFTER).flatMap((part) => slices(part, width)),
  );
}

function slices(part: string, width: number): string[] {
  if (widthOf(part) <= width) return [part];
  const letters = [...part];
  const cut: string[] = [];
  for (let at = 0; at < letters.length; at += width) cut.push(letters.slice(at, at + width).join(''));
  return cut;
}

/** Ends the colours that are on at the end of each line and begins the next with them. */
function carryColours(lines: readonly string[]): string[] {
  let on: string[] = [];
  return lines.map((line) => {
    const begun = on.map((code) => `\u001b[${code}m`).join('');
    for (const [, code = ''] of line.matchAll(CODES)) {
      if (code === '0') on = [];
      else if (code === '22') on = on.filter((each) => each !== '1' && each !== '2');
      else if (code === '39') on = on.filter((each) => !/^3[0-8]/.test(each));
      else on = [...on, code];
    }
    const ended = on.map((code) => (code === '1' || code === '2' ? '\u001b[22m' : '\u001b[39m')).join('');
    return begun + line + ended;
  });
}

/** Breaks every line of a text that is too wide, with what follows indented as it is. */
export function wrapLines(text: string, width: number): string {
  if (width === Infinity) return text;
  return text
    .split('\n')
    .map((line) => {
      if (widthOf(line) <= width) return line;
      const indent = /^(?:\u001b\[(?:38;5;)?\d{1,3}m)* */.exec(line)?.[0].replace(CODES, '').length ?? 0;
      const hang = ' '.repeat(Math.min(indent + (indent > 0 ? 2 : 0), Math.floor(width / 2)));
      const [first = '', ...rest] = wrapWords(line.trimStart(), width - hang.length);
      return [' '.repeat(indent) + first, ...rest.map((each) => hang + each)].join('\n');
    })
    .join('\n');
}
