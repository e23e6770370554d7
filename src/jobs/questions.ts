/** How a job asks before it goes on: what it asks is data, and how it is put is not its business. */
import type { Question } from '../core/release/question.js';

export type { Question };

/** How a job asks. Where nobody can answer, both throw CONFIRMATION_NEEDED. */
export interface Questions {
  /** @throws FenestraError DECLINED, CONFIRMATION_NEEDED */
  agree(question: Question): Promise<void>;
  /** Asks for the bucket's name. @throws FenestraError DECLINED, CONFIRMATION_NEEDED, CONFIRMATION_WRONG */
  typeName(question: Question): Promise<void>;
}
