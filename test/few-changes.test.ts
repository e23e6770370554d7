import { readdirSync, readFileSync, renameSync, rmSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from 'vitest';
import { chance, SEED } from './helpers/chance.js';
import { fenestra, fenestraJson, makeProject, writeFiles } from './helpers/program.js';

interface Published {
  readonly release: number;
  readonly changes: readonly { readonly key: string; readonly change: string }[];
  readonly totals: Readonly<Record<string, number>>;
}

const FILES = 120;
const nameOf = (n: number): string => `d${n % 7}/f${n}.txt`;

/** Every file of the site, by its key. */
const readSite = (home: string): Map<string, string> =>
  new Map(
    readdirSync(join(home, 'site'), { recursive: true, withFileTypes: true })
      .filter((entry) => entry.isFile())
      .map((entry) => join(entry.parentPath, entry.name))
      .map((path) => [path.slice(join(home, 'site').length + 1), readFileSync(path, 'utf8')]),
  );

function changesBetween(was: ReadonlyMap<string, string>, is: ReadonlyMap<string, string>): string[] {
  const changes: string[] = [];
  for (const key of new Set([...was.keys(), ...is.keys()])) {
    const [before, after] = [was.get(key), is.get(key)];
    if (before === after) continue;
    changes.push(`${before === undefined ? 'add' : after === undefined ? 'remove' : 'replace'} ${key}`);
  }
  return changes.sort();
}

/** As a memo trusts it: no file was touched in the moment in which it is surveyed. */
function age(home: string, turn: number): void {
  for (const key of readSite(home).keys()) {
    const path = join(home, 'site', key);
    const at = Math.floor(Date.now() / 1000) - 10_000 + turn;
    if (readFileSync(path, 'utf8').endsWith(` ${turn}`)) utimesSync(path, at, at);
  }
}

it('after any edits, surveys and returns a publish changes exactly what differs from what lies there', async () => {
  const next = chance('few changes');
  const pick = (below: number): number => Math.floor(next() * below);
  const home = makeProject(
    Object.fromEntries(Array.from({ length: FILES }, (_, n) => [`site/${nameOf(n)}`, `file ${n} 0`])),
  );
  const releases = new Map<number, Map<string, string>>();
  let lies = new Map<string, string>();
  const publish = async (turn: number): Promise<void> => {
    const site = readSite(home);
    const expected = changesBetween(lies, site);
    const { changes, totals, release } = await fenestraJson<Published>(home, 'publish', '--yes');
    expect(changes.map(({ key, change }) => `${change} ${key}`).sort(), `turn ${turn}, seed ${SEED}`).toEqual(
      expected,
    );
    const kept = [...lies.keys()].filter((key) => lies.get(key) === site.get(key)).length;
    expect(totals['keep'], `turn ${turn}, seed ${SEED}`).toBe(kept);
    lies = site;
    releases.set(release, lies);
  };
  age(home, 0);
  await publish(0);
  for (let turn = 1; turn <= 14; turn++) {
    for (let edit = 0; edit <= pick(4); edit++) {
      const file = join('site', nameOf(pick(FILES)));
      const kind = pick(4);
      if (kind === 0) rmSync(join(home, file), { force: true });
      else if (kind === 1) writeFiles(home, { [`site/new-${turn}-${edit}.txt`]: `new ${turn}` });
      else if (kind === 2 && readSite(home).has(file.slice(5)))
        renameSync(join(home, file), join(home, 'site', `moved-${turn}-${edit}.txt`));
      else writeFiles(home, { [file]: `file ${pick(3)} ${turn}` });
    }
    // The next survey has to tell it from what it knows by more than its size.
    age(home, turn);
    if (pick(3) === 0) await fenestra(home, 'survey');
    if (pick(4) === 0) {
      const recent = [...releases].slice(-5);
      const [back = 1, then] = recent[pick(recent.length)] ?? [];
      const { release } = await fenestraJson<Published>(home, 'restore', String(back), '--yes');
      lies = then ?? lies;
      releases.set(release, lies);
    }
    if (pick(4) === 0)
      writeFileSync(
        join(home, 'fenestra.yaml'),
        `${readFileSync(join(home, 'fenestra.yaml'), 'utf8')}# ${turn}\n`,
      );
    await publish(turn);
  }
}, 120_000);
