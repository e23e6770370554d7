/** The faulty copy of the demo site: everything planted in it is found by its own rule, and cured as it says. */
import { cpSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { describe, expect, it } from 'vitest';
import { DEMO, fenestra, fenestraJson, makeFolder } from './helpers/program.js';

type Edit =
  | { readonly file: string; readonly from: string; readonly to: string }
  | { readonly remove: string }
  | { readonly rename: readonly [string, string] };

interface Planted {
  readonly rule: string;
  readonly about: string;
  readonly key?: string;
  readonly line?: number;
  readonly edits?: readonly Edit[];
}

interface Found {
  readonly rule: string;
  readonly key?: string;
  readonly line?: number;
  readonly message: string;
  readonly fix: string;
}

const FAULTY = resolve('demo/as-it-arrived');
const { planted } = JSON.parse(readFileSync(join(FAULTY, 'planted.json'), 'utf8')) as { planted: Planted[] };

function copyOf(site: string): string {
  const home = makeFolder();
  cpSync(site, home, { recursive: true });
  rmSync(join(home, '.fenestra'), { recursive: true, force: true });
  return home;
}

async function check(
  home: string,
  ...options: string[]
): Promise<{ findings: Found[]; failures: unknown[] }> {
  const { code, err } = await fenestra(home, 'publish', '--yes', '--sure', 'wendle-mill');
  expect({ code, err }).toEqual({ code: 0, err: '' });
  const { out } = await fenestra(home, 'check', '--json', '--expect', 'closed', ...options);
  return JSON.parse(out) as { findings: Found[]; failures: unknown[] };
}

const nameOf = ({ rule, key, message }: Found): string =>
  `${rule} ${key ?? ''} ${message.replace(/ \(and at .*\)$/, '').replace(/(rule|line) \d+/g, '$1 N')}`;

/** Does what a printed cure says, where it leaves no choice. @returns whether it did */
function follow(home: string, { key = '', line = 1, fix, message }: Found): boolean {
  const change = (file: string, edit: (text: string) => string): boolean => {
    const before = readFileSync(join(home, file), 'utf8');
    const after = edit(before);
    writeFileSync(join(home, file), after);
    return after !== before;
  };
  const write = /^(?:the case of letters counts: |it is spelt almost so: )?write (\S+?),?(?: |$)/.exec(
    fix,
  )?.[1];
  const raw = /"([^"]+)"/.exec(message)?.[1];
  if (write !== undefined && raw !== undefined) {
    return change(`site/${key}`, (text) =>
      text
        .split('\n')
        .map((each, at) => (at === line - 1 ? each.replace(`"${raw}"`, `"${write}"`) : each))
        .join('\n'),
    );
  }
  const assign = /add under assign: (- \{.*\})$/.exec(fix)?.[1];
  if (assign !== undefined)
    return change('fenestra.yaml', (text) =>
      text.replace('\nmoved:', `  ${assign}\n\nmoved:`).replace('\n\n  - ', '\n  - '),
    );
  const corrected = /^fenestra\.yaml line (\d+): contentType: (.*)$/.exec(fix);
  if (corrected)
    return change('fenestra.yaml', (text) =>
      text
        .split('\n')
        .map((each, at) =>
          at === Number(corrected[1]) - 1
            ? each.replace(/contentType: [^,}]*[^,} ]/, `contentType: ${corrected[2] ?? ''}`)
            : each,
        )
        .join('\n'),
    );
  const rename = /^rename it to (\S+)$/.exec(fix)?.[1];
  if (rename !== undefined) renameSync(join(home, 'site', key), join(home, 'site', rename));
  else if (fix.startsWith('delete it')) rmSync(join(home, 'site', key));
  else return false;
  return true;
}

function apply(home: string, edits: readonly Edit[]): void {
  for (const edit of edits) {
    if ('remove' in edit) rmSync(join(home, edit.remove));
    else if ('rename' in edit) renameSync(join(home, edit.rename[0]), join(home, edit.rename[1]));
    else {
      const text = readFileSync(join(home, edit.file), 'utf8');
      expect(text).toContain(edit.from);
      writeFileSync(join(home, edit.file), text.replace(edit.from, edit.to));
    }
  }
}

describe('the site as it arrived', () => {
  it('has at least 25 faults of different kinds, each found at its place by its own rule, and nothing else', async () => {
    expect(new Set(planted.map(({ rule }) => rule)).size).toBeGreaterThanOrEqual(25);
    const { findings } = await check(copyOf(FAULTY));
    const places = findings.map(({ rule, key, line }) => [rule, key, line]);
    for (const { rule, key, line } of planted)
      expect(places).toContainEqual([
        rule,
        key,
        line ?? places.find((each) => each[0] === rule && each[1] === key)?.[2],
      ]);
    expect(places).toHaveLength(planted.length);
  });

  it('is cured one fault at a time: each cure removes its own finding and no other appears', async () => {
    const home = copyOf(FAULTY);
    let { findings } = await check(home);
    for (const { rule, key, about, edits } of planted) {
      const found = findings.find((each) => each.rule === rule && each.key === key);
      // Cured along with an earlier one, as two faults with one cause are.
      if (!found) continue;
      if (edits) apply(home, edits);
      else expect(follow(home, found), `${about}: ${found.fix}`).toBe(true);
      const now = await check(home);
      const before = findings.map(nameOf).filter((name) => name !== nameOf(found));
      expect(
        now.findings.map(nameOf).filter((name) => !before.includes(name)),
        about,
      ).toEqual([]);
      expect(now.findings.map(nameOf), about).not.toContain(nameOf(found));
      findings = now.findings;
    }
    expect(findings).toEqual([]);
  }, 400_000);

  it('the good copy has nothing to say', async () => {
    const home = copyOf(DEMO);
    await fenestraJson(home, 'publish', '--yes', '--sure', 'wendle-mill');
    await fenestraJson(home, 'access', 'open', '--sure', 'wendle-mill');
    expect(await fenestraJson(home, 'check', '--fail-on', 'note')).toMatchObject({
      findings: [],
      failures: [],
      passed: true,
    });
  });
});
