/** Files that an option names for a result. */
import { writeFileSync } from 'node:fs';
import { FenestraError } from '../../core/errors/catalogue.js';
import { reasonInWords } from '../../core/errors/system-error.js';

/** Writes a result to a file. @throws FenestraError FILE_UNWRITABLE */
export function writeResult(option: string, file: string, text: string): void {
  try {
    writeFileSync(file, text);
  } catch (error) {
    throw new FenestraError('FILE_UNWRITABLE', { option, file, reason: reasonInWords(error) }, error);
  }
}
