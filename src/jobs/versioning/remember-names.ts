/** What a publish need not do again: working out names, and rewriting texts that are as they were. */
import { join } from 'node:path';
import * as crypto from 'node:crypto';
import type { Finding } from '../../core/findings/finding.js';
import type { ObjectGroup } from '../../core/site/groups.js';
import type { NameCounts, Rewritten } from '../../core/versioning/naming.js';
import type { TextEdit } from '../../core/versioning/rename-reference.js';
import { readKept, writeKept } from '../../files/kept-file.js';
import { BUILD } from '../project/build.js';
import type { Project } from '../project/open-project.js';
import { surveyMemory } from '../survey/survey-memory.js';

/** What naming changes of one object. */
export interface NamedRow {
  /** Its plain key. */
  readonly key: string;
  /** Of the object as it is on disk. */
  readonly digest: string;
  /** Its key under its versioned name, where it has one. */
  readonly versioned?: string;
  /** Whether it stands under its plain name too. */
  readonly kept?: true;
  readonly rewritten?: Rewritten;
  /** The numbers of its edits: the first, and the one after the last. */
  readonly edits?: readonly [from: number, to: number];
}

/** What is true of the site under its names. */
export interface NamedSummary {
  /** Digest of everything that the names depend on. */
  readonly basis: string;
  readonly identity: string;
  readonly count: number;
  readonly groups: readonly ObjectGroup[];
  /** Of the names alone. */
  readonly findings: readonly Finding[];
  readonly names: NameCounts;
}

/** Edits of many texts in columns: place, length, and the number of what is put there. */
export class EditColumns {
  readonly #numbers: Uint32Array;
  readonly #texts: readonly string[];

  constructor(numbers: Uint32Array, texts: readonly string[]) {
    this.#numbers = numbers;
    this.#texts = texts;
  }

  *list(from: number, to: number): Generator<TextEdit> {
    for (let number = from; number < to; number++) {
      const [at = 0, length = 0, text = 0] = this.#numbers.subarray(number * 3, number * 3 + 3);
      yield { at, length, text: this.#texts[text] ?? '' };
    }
  }

  pack(): { readonly numbers: Uint32Array; readonly texts: readonly string[] } {
    return { numbers: this.#numbers, texts: this.#texts };
  }
}

/** Takes edits one text after the other. */
export class EditWriter {
  readonly #numbers: number[] = [];
  readonly #texts = new Map<string, number>();

  /** @returns the numbers of the edits */
  add(edits: readonly TextEdit[]): readonly [from: number, to: number] {
    const from = this.#numbers.length / 3;
    for (const { at, length, text } of edits) {
      let number = this.#texts.get(text);
      if (number === undefined) this.#texts.set(text, (number = this.#texts.size));
      this.#numbers.push(at, length, number);
    }
    return [from, this.#numbers.length / 3];
  }

  finish(): EditColumns {
    return new EditColumns(Uint32Array.from(this.#numbers), [...this.#texts.keys()]);
  }
}

export interface NamedTable {
  /** In the order of the plain keys; what naming leaves alone is not among them. */
  readonly rows: readonly NamedRow[];
  readonly edits: EditColumns;
}

export interface RememberedNames {
  readonly summary: NamedSummary;
  /** Read when it is asked for: a publish that changes nothing never asks. */
  table(): NamedTable;
}

const pathOf = ({ config, destination }: Project): string =>
  join(surveyMemory(config.folder), `names-${crypto.hash('sha256', destination.name, 'hex').slice(0, 12)}`);

const builtAs = BUILD ?? 'unbundled';

export function recallNames(project: Project): RememberedNames | undefined {
  const bytes = readKept(pathOf(project), builtAs);
  if (!bytes) return undefined;
  try {
    const [headTo, tableTo] = [8 + bytes.readUInt32LE(0), 8 + bytes.readUInt32LE(0) + bytes.readUInt32LE(4)];
    const summary = JSON.parse(bytes.toString('utf8', 8, headTo)) as NamedSummary;
    return {
      summary,
      table() {
        const { rows, texts } = JSON.parse(bytes.toString('utf8', headTo, tableTo)) as {
          rows: NamedRow[];
          texts: string[];
        };
        const from = bytes.byteOffset + tableTo;
        const numbers = new Uint32Array(bytes.buffer.slice(from, bytes.byteOffset + bytes.length));
        return { rows, edits: new EditColumns(numbers, texts) };
      },
    };
  } catch {
    return undefined;
  }
}

export function rememberNames(project: Project, summary: NamedSummary, { rows, edits }: NamedTable): void {
  const { numbers, texts } = edits.pack();
  const head = Buffer.from(JSON.stringify(summary));
  const table = Buffer.from(JSON.stringify({ rows, texts }));
  const lengths = Buffer.alloc(8);
  lengths.writeUInt32LE(head.length, 0);
  lengths.writeUInt32LE(table.length, 4);
  writeKept(pathOf(project), builtAs, [
    lengths,
    head,
    table,
    Buffer.from(numbers.buffer, numbers.byteOffset, numbers.byteLength),
  ]);
}
