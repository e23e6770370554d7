/** Many names in one string, with NULs between them. */
export class NameTable {
  readonly #text: string;
  #all: string[] | undefined;
  #row = -1;
  #name = '';
  #end = -1;

  constructor(text: string) {
    this.#text = text;
  }

  /** A name; asked for row after row, it costs no memory for the others. */
  at(row: number): string {
    if (row === this.#row) return this.#name;
    if (this.#all) return this.#all[row] ?? '';
    if (row !== this.#row + 1 || this.#end >= this.#text.length) return this.all()[row] ?? '';
    const start = this.#end + 1;
    const next = this.#text.indexOf('\0', start);
    this.#end = next < 0 ? this.#text.length : next;
    this.#row = row;
    return (this.#name = this.#text.slice(start, this.#end));
  }

  all(): readonly string[] {
    return (this.#all ??= this.#text.split('\0'));
  }
}
