/** Writes the reference pages of docs/ and the JSON Schema; with --check only says which of them are out of date. */
import { STORE_KINDS } from '../stores/kinds.js';
import { readFileSync, writeFileSync } from 'node:fs';
import { createJsonSchema } from '../config/json-schema.js';
import { listSettings } from '../config/in-force.js';
import {
  renderBehaviours,
  renderConfig,
  renderErrors,
  renderFindings,
  renderReferences,
} from '../report/reference.js';

const pages: Readonly<Record<string, string>> = {
  'docs/errors.md': renderErrors(),
  'docs/findings.md': renderFindings(),
  'docs/behaviours.md': renderBehaviours(),
  'docs/references.md': renderReferences(),
  'docs/config.md': renderConfig(listSettings(), readFileSync('demo/wendle-mill/fenestra.yaml', 'utf8')),
  'fenestra.schema.json': `${JSON.stringify(createJsonSchema(STORE_KINDS.keys()), null, 2)}\n`,
};

const checking = process.argv.includes('--check');
for (const [path, text] of Object.entries(pages)) {
  if (!checking) writeFileSync(path, text);
  else if (readFileSync(path, 'utf8') !== text) {
    console.error(`${path} is out of date: npm run docs`);
    process.exitCode = 1;
  }
}
