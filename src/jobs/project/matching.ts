/** A part of a site or a bucket, chosen by a pattern. */
import { folderMeant, parsePattern, patternFault } from '../../core/assign/pattern.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { OVER_NOTHING, OVER_OWN, type OverForeign } from '../../core/release/foreign.js';

export interface Matching {
  /** As it was written. */
  readonly pattern: string;
  readonly covers: (key: string) => boolean;
}

/** The one reader of patterns in options. @throws FenestraError USAGE */
export function readMatching(pattern: string | undefined, option = '--matching'): Matching | undefined {
  if (pattern === undefined) return undefined;
  const fault = patternFault(pattern);
  if (fault)
    throw new FenestraError('USAGE', {
      what: `${option}: ${fault.fault}.`,
      fix: fault.becomes === undefined ? 'Correct the pattern.' : `Did you mean '${fault.becomes}'?`,
    });
  return { pattern, covers: parsePattern(pattern) };
}

/** The one reader of `--over-foreign`, which may have a pattern. @throws FenestraError USAGE */
export function readOverForeign(given: string | boolean | undefined): OverForeign {
  if (given === undefined || given === false) return OVER_NOTHING;
  const matching = given === true || given === '' ? undefined : readMatching(given, '--over-foreign');
  return matching ? { covers: matching.covers, additions: matching.covers } : OVER_OWN;
}

/** A part without any key is a mistake in the pattern. @throws FenestraError USAGE */
export function assertMatch({ pattern, covers }: Matching, keys: readonly string[], where: string): void {
  if (keys.some(covers)) return;
  const folder = folderMeant(pattern, keys);
  throw new FenestraError('USAGE', {
    what: `--matching ${pattern} matches no key of ${where}.`,
    fix: folder === undefined ? '`fenestra survey` lists the keys.' : `Did you mean '${folder}'?`,
  });
}
