/** The fonts that the texts of a page are set in. */
import { unquote, type FontFace } from './font-faces.js';

/** How a text is set. */
export interface TextStyle {
  readonly family: string;
  readonly weight: number;
  readonly italic: boolean;
}

/** What a text is set in, with the code points of it. */
interface Setting extends TextStyle {
  readonly letters: Set<number>;
}

const MAX_LETTERS = 4000;

/** Gathers texts by how they are set, and then tells the faces that they need. */
export class UsedFonts {
  readonly #settings = new Map<string, Setting>();

  note({ family, weight, italic }: TextStyle, text: string): void {
    if (text === '' || family === '') return;
    const id = `${family}\0${weight}\0${italic}`;
    let setting = this.#settings.get(id);
    if (!setting) this.#settings.set(id, (setting = { family, weight, italic, letters: new Set() }));
    for (const letter of text) {
      if (setting.letters.size >= MAX_LETTERS) break;
      setting.letters.add(letter.codePointAt(0) ?? 0);
    }
  }

  choose(faces: readonly Based[]): Based[] {
    return [...this.#settings.values()].flatMap((setting) => chooseFaces(setting, faces));
  }
}

const GENERIC =
  /^(?:serif|sans-serif|monospace|cursive|fantasy|system-ui|emoji|math|ui-serif|ui-sans-serif|ui-monospace|ui-rounded)$/;

/** A face, and what its address is relative to. */
export interface Based {
  readonly face: FontFace;
  readonly base: string;
}

/** The faces that a text needs: of the first family that has some of its letters, then of the next for what is left. */
function chooseFaces({ family, weight, italic, letters }: Setting, faces: readonly Based[]): Based[] {
  const chosen: Based[] = [];
  let left = [...letters];
  for (const part of family.split(',')) {
    const name = unquote(part).toLowerCase();
    if (GENERIC.test(name) || left.length === 0) break;
    const of = faces.filter(({ face }) => face.family === name);
    const best = closest(of, weight, italic);
    // Of several with the same description the last that has a letter is the one.
    for (const each of [...best].reverse()) {
      const isIn = (letter: number): boolean =>
        each.face.ranges.some(([from, to]) => letter >= from && letter <= to);
      if (!left.some(isIn)) continue;
      chosen.push(each);
      left = left.filter((letter) => !isIn(letter));
    }
  }
  return chosen;
}

function closest(faces: readonly Based[], weight: number, italic: boolean): Based[] {
  const slanted = faces.filter(({ face }) => face.italic === italic);
  const pool = slanted.length > 0 ? slanted : faces;
  const distance = ({ face: { weight: range } }: Based): number => {
    const [from, to] = range;
    if (weight >= from && weight <= to) return 0;
    const off = weight < from ? from - weight : weight - to;
    // CSS Fonts 4, section 5.2: 400 and 500 stand in for each other, lighter looks lighter first, bold bolder.
    const away = weight > 500 ? weight > to : weight < from;
    return away && !(weight >= 400 && weight <= 500 && from <= 500 && to >= 400) ? off + 1000 : off;
  };
  const least = Math.min(...pool.map(distance));
  return pool.filter((each) => distance(each) === least);
}
