/** Being asked before something is published or taken back. */
import type { Finding } from '../../core/findings/finding.js';
import { removesMost } from '../../core/release/guards.js';
import type { Question, Questions } from '../questions.js';
import type { Comparison } from './comparison.js';

export interface Agreement {
  /** What a yes is enough for. */
  readonly plain: Question;
  /** What the bucket's name is asked for; then no further yes is. */
  readonly byName: readonly Question[];
}

/**
 * What a publish asks before it goes on.
 * @param readerErrors errors of the site that concern who may read what
 * @param otherProject the folder of the project whose release this takes the place of, where it is another
 */
export function decideQuestions(
  comparison: Comparison,
  { bucket: name, store }: { readonly bucket: string; readonly store: string },
  readerErrors: readonly Finding[],
  otherProject?: string,
): Agreement {
  const { held, totals, toSend, readers } = comparison;
  const byName: Question[] = [];
  if (readerErrors.length > 0) byName.push({ about: 'reader-errors', bucket: name, findings: readerErrors });
  if (readers.opened.length > 0) byName.push({ about: 'widen', bucket: name, keys: readers.opened });
  if (readers.lostIndex !== undefined)
    byName.push({ about: 'lose-index', bucket: name, index: readers.lostIndex });
  else if (readers.closedPages.length > 0)
    byName.push({ about: 'narrow', bucket: name, keys: readers.closedPages });
  if (otherProject !== undefined) byName.push({ about: 'other-project', bucket: name, folder: otherProject });
  if (removesMost(totals, held))
    byName.push({ about: 'remove-most', bucket: name, remove: totals.remove, of: held });
  return { plain: { about: 'publish', bucket: name, store, totals, toSend }, byName };
}

/** @param yes agreed beforehand @throws FenestraError DECLINED, CONFIRMATION_NEEDED, CONFIRMATION_WRONG */
export async function agreeToPublish(
  { plain, byName }: Agreement,
  yes: boolean,
  questions: Questions,
): Promise<void> {
  for (const question of byName) await questions.typeName(question);
  if (byName.length === 0 && !yes) await questions.agree(plain);
}
