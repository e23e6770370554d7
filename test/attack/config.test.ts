/** Configs of every kind of nonsense: each is read or refused with a place, in bounded time, and none is a defect. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { it } from 'vitest';
import { loadConfig } from '../../src/config/load.js';
import { FenestraError } from '../../src/core/errors/catalogue.js';
import { SEED } from '../helpers/chance.js';
import { DEMO, makeFolder, writeFiles } from '../helpers/program.js';
import { Attack, mutate } from './attack-kit.js';

const STRANGE = [
  ...[
    '{',
    '}',
    '[',
    ']',
    ': ',
    '- ',
    '&a ',
    '*a',
    '!!js/function ',
    '|\n',
    '>\n',
    '? ',
    '<<: *a\n',
    '---\n',
    '...\n',
    '#',
  ],
  ...[
    '"',
    "'",
    '\t',
    '\0',
    '\u202e',
    '\ufeff',
    '\ud800',
    '__proto__: 1\n',
    'constructor: {}\n',
    '~',
    '0x1f',
    '.inf',
    '1e999',
  ],
  ...[
    '**',
    '{a,b}',
    '[[:alpha:]]',
    '*'.repeat(200),
    '{'.repeat(300),
    '-1 days',
    '1e9 years',
    'until 9999-99-99',
    '/*',
    '//',
  ],
  ...['https://*.example/', '../..', '\n  '.repeat(50), 'é', 'e\u0301', 'NaN', 'null', 'true', '2026-12-24'],
];
const LONGEST_MS = 5000;

it(`configs do no harm (FENESTRA_SEED=${SEED})`, { timeout: 3_600_000 }, async () => {
  const attack = new Attack('configs', 250);
  const demo = readFileSync(join(DEMO, 'fenestra.yaml'), 'utf8');
  const lines = demo.split('\n');
  const home = makeFolder();
  let longest = 0;
  for (let round = 0; round < attack.rounds; round++) {
    const moved = [...lines];
    if (attack.below(2) === 0)
      moved.splice(attack.below(moved.length), 1, attack.pick(lines), attack.pick(lines));
    const text = mutate(Buffer.from(moved.join('\n')), attack, STRANGE);
    writeFiles(home, { 'fenestra.yaml': text });
    const began = performance.now();
    try {
      await loadConfig(join(home, 'fenestra.yaml'));
      attack.note('read');
    } catch (error) {
      if (error instanceof FenestraError && /:\d+:\d+: /.test(error.message))
        attack.note('refused with a place');
      else attack.harm(`${String(error)} of ${JSON.stringify(text.toString())}`);
    }
    const took = performance.now() - began;
    longest = Math.max(longest, took);
    if (took > LONGEST_MS) attack.harm(`${took} ms for ${JSON.stringify(text.toString())}`);
  }
  attack.finish({ 'longest reading': `${Math.round(longest)} ms` });
});
