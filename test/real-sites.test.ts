import { describe, expect, it } from 'vitest';
import { fenestraJson, fenestra, makeFolder } from './helpers/program.js';
import { need, type Need } from './helpers/machine.js';

/**
 * Documentation sites that Debian packages ship: nobody here wrote them. Each expected finding was looked at and is
 * true; the first of a rule stands for the rest.
 */
const SITES: readonly {
  readonly name: Need;
  readonly site: string;
  readonly objects: number;
  readonly expected: Readonly<Record<string, readonly [count: number, first: RegExp]>>;
}[] = [
  {
    name: 'python3-doc',
    site: '/usr/share/doc/python3.11/html',
    objects: 900,
    expected: {
      // The package compresses the change log and leaves the links to it as they were.
      'reference-missing': [1, /whatsnew\/changelog\.html.*decompress it to/],
      // Its build wrote the canonical address of every page as a path on a disk.
      'reference-to-disk': [530, /file:\/\/\/usr\/share\/doc\/python3\.11\/html\/about\.html/],
      'type-unknown': [2, /"\.py"/],
      'fragment-missing': [2, /glossary\.html has no part with the id index-19/],
      // <link rel="icon" type="image/png" href="_static/py.svg">
      'declared-type-differs': [1, /image\/png for _static\/py\.svg/],
      'error-document-unset': [1, /no error document/],
      'source-map-missing': [1, /underscore-umd\.js\.map/],
    },
  },
  {
    name: 'git-doc',
    site: '/usr/share/doc/git-doc',
    objects: 500,
    expected: {
      'reference-missing': [1, /git-p4\.html/],
      // <a href="http://<servername>/…">, a placeholder that became a link.
      'reference-malformed': [2, /<username>@<servername>/],
      'fragment-missing': [2, /reftable\.html has no part with the id Ref-index/],
      'error-document-unset': [1, /no error document/],
    },
  },
];

describe.each(SITES)('$name', ({ name, site, objects, expected }) => {
  it('publishes, answers right, and has no finding that is not true', async (context) => {
    need(context, name);
    const home = makeFolder({
      'fenestra.yaml': `site: ${site}\nlinks: follow\ndestinations:\n  rehearsal: { store: here, bucket: real-docs }\nreadable: { keys: ["**"] }\nallow: ["*.py"]\n`,
    });
    const published = await fenestraJson<{ totals: { add: number } }>(home, 'publish', '--yes');
    expect(published.totals.add).toBeGreaterThan(objects);
    await fenestraJson(home, 'access', 'open', '--sure', 'real-docs');
    const { code, out } = await fenestra(home, 'check', '--json');
    const again = await fenestra(home, 'check', '--json');
    const findingsOf = (text: string): unknown => (JSON.parse(text) as { findings: unknown }).findings;
    expect(findingsOf(again.out)).toEqual(findingsOf(out));
    const checked = JSON.parse(out) as {
      probes: { run: number; failed: number };
      failures: unknown[];
      findings: { rule: string; message: string; fix: string }[];
    };
    expect(checked.failures).toEqual([]);
    const rules = [...new Set(checked.findings.map(({ rule }) => rule))];
    expect(rules.sort()).toEqual(Object.keys(expected).sort());
    for (const [rule, [count, first]] of Object.entries(expected)) {
      const found = checked.findings.filter((finding) => finding.rule === rule);
      expect([rule, found.length]).toEqual([rule, count]);
      expect(`${found[0]?.message ?? ''} ${found[0]?.fix ?? ''}`).toMatch(first);
    }
    expect(checked.probes.run).toBeGreaterThan(published.totals.add);
    expect(code).toBe(1);
    expect((await fenestra(home, 'publish', '--yes')).out).toContain('Nothing has changed');
  });
});
