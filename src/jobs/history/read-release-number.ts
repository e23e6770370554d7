import { FenestraError } from '../../core/errors/catalogue.js';

/** A release as it is named on the command line. @throws FenestraError USAGE */
export function readReleaseNumber(word: string): number {
  if (/^[1-9]\d{0,14}$/.test(word)) return Number(word);
  throw new FenestraError('USAGE', {
    what: `A release is named by its number, not by "${word}".`,
    fix: '`fenestra history` lists the releases with their numbers.',
  });
}
