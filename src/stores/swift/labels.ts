/** The headers of an object as a store of this kind sends them. */
import type { ObjectHeaders } from '../../core/site/site-object.js';

/** What Fenestra publishes and the store keeps. */
const OWN_LABELS = [
  'Content-Type',
  'Cache-Control',
  'Expires',
  'Content-Encoding',
  'Content-Disposition',
  'Content-Language',
] as const;
/** What somebody else may have set: an end, and whether search engines may name it. */
const FOREIGN_LABELS = ['X-Delete-At', 'X-Robots-Tag'] as const;

export const labelsOf = (headers: Readonly<Record<string, string>>): ObjectHeaders =>
  Object.fromEntries(
    [...OWN_LABELS, ...FOREIGN_LABELS].flatMap((name) => {
      const value = headers[name.toLowerCase()];
      return value === undefined ? [] : [[name, value]];
    }),
  );

/**
 * What an object is labelled with, where that is not what it was published with; what the store never sends is left out
 * of that.
 */
export function changedLabels(
  published: ObjectHeaders,
  headers: Readonly<Record<string, string>>,
): ObjectHeaders | undefined {
  const now = labelsOf(headers);
  // Of what has no type the store guesses one.
  const names = [...OWN_LABELS, ...FOREIGN_LABELS].filter(
    (name) => name !== 'Content-Type' || published[name] !== undefined,
  );
  if (names.every((name) => now[name] === published[name])) return undefined;
  const kept = Object.entries(published).filter(([name]) => !(names as readonly string[]).includes(name));
  return { ...Object.fromEntries(kept), ...now };
}
