/** Being asked before something is published or taken back. */
import { newlyReadable, removesMost } from '../../core/release/guards.js';
import type { Question, Questions } from '../questions.js';
import type { Comparison } from './comparison.js';

/** What a publish asks before it goes on, and whether a yes is enough or the bucket's name is asked for. */
export function questionOf(
  comparison: Comparison,
  keys: () => Iterable<string>,
  { bucket: name, store }: { readonly bucket: string; readonly store: string },
): { readonly question: Question; readonly byName: boolean } {
  const { bucket, held, totals, toSend } = comparison;
  const opened = newlyReadable(keys, bucket, comparison.becomes);
  if (opened.length > 0) return { question: { about: 'widen', bucket: name, keys: opened }, byName: true };
  if (removesMost(totals, held))
    return {
      question: { about: 'remove-most', bucket: name, remove: totals.remove, of: held },
      byName: true,
    };
  return { question: { about: 'publish', bucket: name, store, totals, toSend }, byName: false };
}

/** @param yes agreed beforehand @throws FenestraError DECLINED, CONFIRMATION_NEEDED, CONFIRMATION_WRONG */
export async function agreeToPublish(
  { question, byName }: ReturnType<typeof questionOf>,
  yes: boolean,
  questions: Questions,
): Promise<void> {
  if (byName) await questions.typeName(question);
  else if (!yes) await questions.agree(question);
}
