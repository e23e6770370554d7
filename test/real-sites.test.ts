import { existsSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { fenestraJson, fenestra, makeFolder } from './helpers/program.js';

/** Documentation sites that Debian packages ship: nobody here wrote them. Each expected finding is true: the public database has no such type. */
const SITES: readonly {
  readonly name: string;
  readonly site: string;
  readonly error: string;
  readonly objects: number;
  readonly expected: readonly string[];
}[] = [
  {
    name: 'python3-doc',
    site: '/usr/share/doc/python3.11/html',
    error: 'contents.html',
    objects: 900,
    expected: [
      'type-unknown _downloads/6dc1f3f4f0e6ca13cb42ddf4d6cbc8af/tzinfo_examples.py',
      'type-unknown objects.inv',
    ],
  },
  { name: 'git-doc', site: '/usr/share/doc/git-doc', error: 'index.html', objects: 500, expected: [] },
];

describe.each(SITES)('$name', ({ site, error, objects, expected }) => {
  it('publishes and checks without a false alarm', async () => {
    expect(existsSync(site), `${site} comes with .ci/run`).toBe(true);
    const home = makeFolder({
      'fenestra.yaml': `site: ${site}\nlinks: follow\ndestinations:\n  rehearsal: { store: here, bucket: real-docs }\ndocuments: { error: ${error} }\nreadable: { keys: ["**"] }\n`,
    });
    const published = await fenestraJson<{ totals: { add: number } }>(home, 'publish', '--yes');
    expect(published.totals.add).toBeGreaterThan(objects);
    await fenestraJson(home, 'access', 'open', '--sure', 'real-docs');
    const { code, out } = await fenestra(home, 'check', '--json');
    const checked = JSON.parse(out) as {
      probes: { run: number; failed: number };
      failures: unknown[];
      findings: { rule: string; key?: string }[];
    };
    expect(checked.failures).toEqual([]);
    expect(checked.findings.map(({ rule, key }) => `${rule} ${key ?? ''}`)).toEqual(expected);
    expect([code, checked.probes.run > published.totals.add]).toEqual([0, true]);
    expect((await fenestra(home, 'publish', '--yes')).out).toContain('Nothing has changed');
  });
});
