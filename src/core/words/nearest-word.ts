/** The word that was probably meant. */
import { closest, distance } from 'fastest-levenshtein';

/** The nearest of some words, when it is near enough to have been meant. */
export function nearestWord(word: string, words: readonly string[]): string | undefined {
  if (words.length === 0) return undefined;
  const best = closest(
    word.toLowerCase(),
    words.map((each) => each.toLowerCase()),
  );
  const found = words.find((each) => each.toLowerCase() === best);
  return found !== undefined && distance(word.toLowerCase(), best) <= Math.max(2, Math.floor(word.length / 3))
    ? found
    : undefined;
}
