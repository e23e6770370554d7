/** Writing another text of a config: what does not hold is taken back. */
import { readFileSync, statSync } from 'node:fs';
import { writeWhole } from '../../files/write-whole.js';

/**
 * @param becomes the text in place of the one that is there
 * @param prove throws where the config does not come to what was meant; then the file is as it was
 * @throws FenestraError CONFIG_…, and what `prove` throws
 */
export async function changeConfig(
  file: string,
  becomes: (text: string) => string,
  prove: () => Promise<void>,
): Promise<void> {
  const before = readFileSync(file, 'utf8');
  const mode = statSync(file).mode & 0o777;
  writeWhole(file, becomes(before), { mode });
  try {
    const { loadConfig } = await import('../../config/index.js');
    await loadConfig(file, true);
    await prove();
  } catch (error) {
    writeWhole(file, before, { mode });
    throw error;
  }
}
