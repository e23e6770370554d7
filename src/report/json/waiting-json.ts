import { isoMoment } from '../../core/words/moments.js';
import type { Waiting } from '../../core/release/waiting.js';

/** Something that waits to be removed. */
export interface WaitingJson {
  readonly key: string;
  /** The key under its plain name, where `key` is a versioned one. */
  readonly plainKey?: string;
  /** ISO 8601. */
  readonly until: string;
  /** What may ask for it; absent where that was said when it was taken out. */
  readonly because?: string;
}

export const waitingJson = ({ until, because, ...names }: Waiting): WaitingJson => ({
  ...names,
  until: isoMoment(until),
  ...(because === undefined ? {} : { because }),
});
