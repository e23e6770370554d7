/** Takes real servers from one state to the next, and prints a line of JSON for what `fenestra domain check` says of each. */
import { join } from 'node:path';
import { mkdirSync, rmSync } from 'node:fs';
import { endAll } from './authority.js';
import { openProject } from './project.js';
import { STATES } from './states.js';
import { NamesTree, takeAddresses } from './tree.js';

export interface Looked {
  readonly name: string;
  readonly code: number;
  readonly rules: readonly string[];
  readonly said: readonly string[];
}

interface Report {
  readonly names: readonly { readonly findings: readonly { rule: string; message: string; fix: string }[] }[];
}

async function* lookAtAll(folder: string, program: string, every: number): AsyncGenerator<Looked> {
  let number = 0;
  const tree = new NamesTree(
    folder,
    { parents: ['bind', 'knot'], old: ['nsd', 'knot'], new: ['bind', 'nsd'] },
    false,
  );
  for (const [at, [name, { state, config }]] of Object.entries(STATES).entries()) {
    if (at % every !== 0) continue;
    const home = join(folder, 'projects', String(number++));
    mkdirSync(home, { recursive: true });
    const check = openProject(home, program, config);
    await tree.apply(state);
    const { code, said } = await check('--json');
    try {
      const findings = (JSON.parse(said) as Report).names.flatMap((each) => each.findings);
      yield {
        name,
        code,
        rules: [...new Set(findings.map(({ rule }) => rule))].filter((rule) => rule !== 'first-look').sort(),
        said: findings.map(({ rule, message, fix }) => `${rule}: ${message}\n    cure: ${fix}`),
      };
    } catch {
      yield { name, code, rules: ['unreadable'], said: [said] };
    }
    rmSync(home, { recursive: true });
  }
}

const [every = '1', folder = '', program = ''] = process.argv.slice(2);
process.on('exit', endAll);
takeAddresses();
for await (const looked of lookAtAll(folder, program, Number(every)))
  process.stdout.write(`${JSON.stringify(looked)}\n`);
process.exitCode = 0;
endAll();
