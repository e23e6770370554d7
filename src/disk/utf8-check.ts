/** Whether bytes that come in pieces are UTF-8. */
import { isUtf8 } from 'node:buffer';

export class Utf8Check {
  #isValid = true;
  /** The beginning of a character that was cut between two pieces. */
  #begun: Uint8Array = new Uint8Array();

  add(piece: Uint8Array): void {
    if (!this.#isValid) return;
    let rest = piece;
    if (this.#begun.length > 0) {
      const missing = lengthOf(this.#begun[0] ?? 0) - this.#begun.length;
      this.#begun = Buffer.concat([this.#begun, piece.subarray(0, missing)]);
      if (piece.length < missing) return;
      this.#isValid = isUtf8(this.#begun);
      rest = piece.subarray(missing);
    }
    const end = rest.length - bytesBegun(rest);
    this.#isValid &&= isUtf8(rest.subarray(0, end));
    this.#begun = Uint8Array.from(rest.subarray(end));
  }

  holds(): boolean {
    return this.#isValid && this.#begun.length === 0;
  }
}

/** Bytes of the character that a byte begins; 1 where it begins none of several. */
const lengthOf = (first: number): number => (first < 0xc0 ? 1 : first < 0xe0 ? 2 : first < 0xf0 ? 3 : 4);

/** How many of the last bytes begin a character that is not all there. */
function bytesBegun(bytes: Uint8Array): number {
  for (let back = 1; back <= Math.min(3, bytes.length); back++) {
    const byte = bytes[bytes.length - back] ?? 0;
    if (byte >= 0x80 && byte < 0xc0) continue;
    return lengthOf(byte) > back ? back : 0;
  }
  return 0;
}
