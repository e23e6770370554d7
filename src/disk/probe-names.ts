/** What a file system does not tell apart in names, tried in a folder that is to be written. */
import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { NameFolding } from '../core/site/meeting-names.js';

/** @throws SystemError where nothing can be written */
export function probeNames(folder: string): NameFolding {
  const scratch = mkdtempSync(join(folder, '.names-'));
  try {
    writeFileSync(join(scratch, 'case-\u00e9'), '');
    return {
      foldsCase: existsSync(join(scratch, 'CASE-\u00e9')),
      normalises: existsSync(join(scratch, 'case-e\u0301')),
    };
  } finally {
    rmSync(scratch, { recursive: true, force: true });
  }
}
