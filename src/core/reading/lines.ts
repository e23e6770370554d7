/** The line of a position in a text, counting from 1; positions are asked for in rising order. */
export function lineCounter(text: string): (at: number) => number {
  let line = 1;
  let seen = 0;
  return (at) => {
    if (at < seen) {
      line = 1;
      seen = 0;
    }
    for (let next = text.indexOf('\n', seen); next >= 0 && next < at; next = text.indexOf('\n', seen)) {
      line++;
      seen = next + 1;
    }
    return line;
  };
}
