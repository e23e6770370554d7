/** Something that names an object which has a versioned name, and cannot be rewritten with certainty. */
export interface UncertainName {
  /** The object's plain key. */
  readonly key: string;
  /** Its key under its versioned name; undefined where it has none for that very reason. */
  readonly becomes?: string;
  /** As it is written. */
  readonly written: string;
  readonly how: 'name' | 'pieces' | 'place' | 'moved' | 'text' | 'occurs';
  /** Of a text that could not be rewritten: why. */
  readonly because?: string;
  /** The text that it stands in; absent for a moved address of the config. */
  readonly from?: string;
  readonly line?: number;
}
