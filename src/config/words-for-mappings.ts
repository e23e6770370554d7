/** A word in the place of a mapping: the name of a set of quirks, and how a destination keeps moved addresses. */
import { QUIRK_SETS } from '../core/hosting/quirks.js';
import { MOVED_AS, type MovedAs } from '../core/release/store-limits.js';

type Raw = Record<string, unknown>;

const isRaw = (value: unknown): value is Raw =>
  typeof value === 'object' && value !== null && !Array.isArray(value);

/** Writes in full what a config says in a word; what is no such word stays as it is, for the validation to name. */
export function expandWords(raw: Raw): void {
  const destinations = isRaw(raw['destinations']) ? Object.values(raw['destinations']).filter(isRaw) : [];
  for (const place of [raw, ...destinations]) {
    const { quirks, sharedWith } = place;
    if (typeof sharedWith === 'string' || Array.isArray(sharedWith))
      place['sharedWith'] = { origins: sharedWith };
    if (typeof quirks === 'string' && Object.hasOwn(QUIRK_SETS, quirks))
      place['quirks'] = { ...QUIRK_SETS[quirks] };
  }
  for (const place of destinations) {
    const { moved } = place;
    if (!MOVED_AS.includes(moved as MovedAs)) continue;
    Reflect.deleteProperty(place, 'moved');
    place['movedAs'] = moved;
  }
}
