import { readFileSync } from 'node:fs';
import { Ajv2020 } from 'ajv/dist/2020.js';
import { parse } from 'yaml';
import { describe, expect, it, test } from 'vitest';
import { CONFIG, fenestra, fenestraJson, makeFolder, makeProject } from './helpers/program.js';

const HEAD = 'site: site\ndestinations:\n  rehearsal: { store: here, bucket: mill }\n';

/** A config, and the `line:column: message` of every fault in it, in order. */
const FAULTY: readonly [string, string, readonly RegExp[]][] = [
  ['a list', '- site: x\n', [/^1:1: the config is a list/]],
  ['empty', '', [/^1:1: the config is empty/]],
  ['not YAML', 'site: [a\n', [/^\d:\d+: not YAML/]],
  ['a key twice', `${HEAD}site: b\n`, [/^4:1: site is given twice, in line 1 too/]],
  ['nothing required', 'otherwise: 1 hour\n', [/^1:1: site is missing/, /^1:1: destinations is missing/]],
  [
    'unknown settings',
    `${HEAD}sites: b\nasign: []\n`,
    [
      /^4:1: "sites" is not a setting here — did you mean site\?/,
      /^5:1: "asign" is not a setting here — did you mean assign\?/,
    ],
  ],
  [
    'units and words',
    `${HEAD}otherwise: 30 dayz\nassign:\n  - { to: "*.png", cache: forevr }\n`,
    [
      /^4:12: "dayz" is not a unit of time — did you mean 30 days\?/,
      /^6:27: "forevr" is not a cache word — did you mean forever\?/,
    ],
  ],
  [
    'inside a cache mapping',
    `${HEAD}assign:\n  - to: "*"\n    cache:\n      fresh: 1 hour\n      shared: soon\n      colour: red\n`,
    [/^8:15: "soon" is not a duration/, /^9:15: "colour" is not part of a cache mapping/],
  ],
  [
    'contradictions',
    `${HEAD}assign:\n  - { to: "*", cache: { fresh: revalidate, immutable: true } }\n`,
    [/^5:55: `immutable` says/],
  ],
  [
    'rules without sense',
    `${HEAD}assign:\n  - { cache: never }\n  - { to: "*" }\n  - { type: image/*, contentType: image/png }\n`,
    [/^5:5: the rule is for nothing/, /^6:5: the rule gives nothing/, /^7:13: a rule cannot have both/],
  ],
  [
    'patterns',
    `${HEAD}readable:\n  keys: ["**", " a"]\n  except: drafts/\n`,
    [
      /^5:16: the pattern " a" has white space around it.* — did you mean a\?/,
      /^6:11: "drafts\/" names a folder.* — did you mean drafts\/\*\*\?/,
    ],
  ],
  [
    'types',
    `${HEAD}assign:\n  - { to: "*", contentType: html }\n  - { type: pictures, cache: never }\n`,
    [
      /^5:29: "html" is not a media type — did you mean text\/html\?/,
      /^6:13: "pictures" is not a media range — did you mean image\/\*\?/,
    ],
  ],
  [
    'destinations',
    'site: site\ndestinations:\n  live: { store: there, bucket: My_Mill, adress: x }\n',
    [
      /^3:18: "there" is no store: there is `here`/,
      /^3:33: "My_Mill" cannot be a bucket name.*my-mill/,
      /^3:42: "adress" is not a setting here — did you mean address\?/,
    ],
  ],
  [
    'moved addresses',
    `${HEAD}moved:\n  permanently: { old: /x, /a*b: /y, /c: nowhere }\n`,
    [
      /^5:18: the address "old" does not start with a slash — did you mean \/old\?/,
      /^5:27: "\/a\*b": a star stands only at the end/,
      /^5:41: the target of "\/c" is neither/,
    ],
  ],
  [
    'moved addresses that could lead to another site',
    `${HEAD}moved:\n  permanently:\n    /a/*: "https://shop.example*"\n    /b/*: "https://*.example/"\n    /c/*: '/\\*'\n    /d/*: "//*"\n    /e/*: "/x?to=*"\n    /f/*: "/*"\n`,
    [
      /^6:11: the target "https:\/\/shop\.example\*" has its star where it could change the host/,
      /^7:11: the target "https:\/\/\*\.example\/" has its star where/,
      /^8:11: the target "\/\\\*" would be read as the address of another site — did you mean \/\*\?/,
      /^9:11: the target "\/\/\*" would be read as the address of another site/,
      /^10:11: the target "\/x\?to=\*" has its star where/,
    ],
  ],
  [
    'a store in the site',
    `${HEAD}storeFolder: ./site/store\n`,
    [/^4:14: "\.\/site\/store" lies in the site folder, .* — did you mean \.fenestra\/store\?/],
  ],
  [
    'nesting without end',
    `site: ${'['.repeat(20_000)}${']'.repeat(20_000)}\n`,
    [/^1:1: the config is nested too deeply/],
  ],
  [
    'stores',
    `site: site\nstores:\n  here: { kind: embedded }\n  shelf: { folder: x }\n  attic: { knd: embedded, options: 3 }\ndestinations:\n  live: { store: shlf, bucket: mill }\n`,
    [
      /^3:3: "here" is the embedded store, which is always there/,
      /^4:10: the store has neither `kind` nor `module`/,
      /^5:10: the store has neither `kind` nor `module`/,
      /^5:12: "knd" is not a setting here — did you mean kind\?/,
      /^5:36: .*is a mapping/,
      /^7:18: "shlf" is not one of here, here, shelf, attic — did you mean shelf\?/,
    ],
  ],
  [
    'quirks and links',
    `${HEAD}quirks: { missingKey: 405, foldrs: 1 }\nlinks: outside\n`,
    [
      /^4:23: "405" is not one of 404, 403/,
      /^4:28: "foldrs" is not a setting here/,
      /^5:8: "outside" is not one of inside, follow, skip/,
    ],
  ],
  [
    'wrong kinds',
    `${HEAD}allow: 3\nassign: yes\ndocuments: index.html\n`,
    [
      /^4:8: allow takes a text or a list of texts/,
      /^5:9: assign is a list/,
      /^6:12: documents is a mapping/,
    ],
  ],
  [
    'documents',
    `${HEAD}documents: { index: visit/index.html, error: /404.html }\n`,
    [
      /^4:21: an index document is a name alone.*index\.html/,
      /^4:46: a key has no leading slash — did you mean 404\.html\?/,
    ],
  ],
];

describe('faults in the config', () => {
  test.each(FAULTY)('%s', async (_what, text, expected) => {
    const home = makeFolder({ 'fenestra.yaml': text });
    const { code, err } = await fenestra(home, 'config', 'check');
    const faults = err
      .split('\n')
      .filter((line) => line.includes('fenestra.yaml:'))
      .map((line) => line.replace(/^.*?fenestra\.yaml:/, ''));
    expect(code).toBe(2);
    expect(faults).toHaveLength(expected.length);
    expected.forEach((pattern, at) => expect(faults[at]).toMatch(pattern));
    expect(err).toMatch(/Nothing was changed\. Fix (it|all \d+)/);
  });
  it('are found before anything is touched, whatever the command', async () => {
    const home = makeProject({}, `${CONFIG}otherwise: 30 dayz\n`);
    for (const words of [['survey'], ['publish', '--yes'], ['check'], ['serve']])
      expect((await fenestra(home, ...words)).code).toBe(2);
  });
  it('survive hostile YAML', async () => {
    const bomb = `a: &a [x,x,x,x,x,x,x,x,x]\n${'bcdefghi'
      .split('')
      .map((name, at) => `${name}: &${name} [${Array(9).fill(`*${'abcdefgh'[at]}`).join(',')}]`)
      .join('\n')}\n`;
    for (const text of [
      bomb,
      '__proto__: { x: 1 }\nsite: x\n',
      'site: !!js/function "x"\n',
      '\u0000\u0001',
      '? [a]\n: b\n',
      `${'['.repeat(3000)}`,
    ]) {
      const { code, err } = await fenestra(makeFolder({ 'fenestra.yaml': text }), 'config', 'check');
      expect([code, err]).toEqual([2, expect.not.stringContaining('Fenestra itself failed')]);
    }
  });
});

it('shows every setting in force, where it comes from and what it means', async () => {
  const home = makeProject();
  const { settings } = await fenestraJson<{
    settings: { name: string; value: unknown; from: string; explain: string }[];
  }>(home, 'config', 'show');
  expect(settings.find(({ name }) => name === 'documents.error')).toMatchObject({
    value: 'not-found.html',
    from: 'line 4',
  });
  expect(settings.find(({ name }) => name === 'otherwise')).toMatchObject({
    value: '1 hour',
    from: 'default',
  });
  expect(settings.every(({ explain }) => explain.length > 10)).toBe(true);
  expect((await fenestra(home, 'config', 'show')).out).toContain('The document that answers for a mistake.');
});

describe('the JSON Schema', () => {
  const validate = new Ajv2020({ strict: false, validateFormats: false }).compile(
    JSON.parse(readFileSync('fenestra.schema.json', 'utf8')) as object,
  );
  it('is what the program prints', async () => {
    expect((await fenestra(makeFolder(), 'config', 'schema')).out.trim()).toBe(
      readFileSync('fenestra.schema.json', 'utf8').trim(),
    );
  });
  it('accepts the configs that are good', () => {
    for (const text of [readFileSync('demo/wendle-mill/fenestra.yaml', 'utf8'), CONFIG])
      expect(validate(parse(text)), JSON.stringify(validate.errors)).toBe(true);
  });
  it('refuses a store of a kind that there is not', () => {
    const config = `${CONFIG}stores:\n  attic: { kind: swft, auth: "https://store.example/v3" }\n`;
    expect(validate(parse(config))).toBe(false);
    expect(validate(parse(config.replace('swft', 'swift'))), JSON.stringify(validate.errors)).toBe(true);
  });
  it('refuses what it can of what the program refuses', () => {
    const refused = FAULTY.filter(
      ([what]) =>
        !['not YAML', 'a key twice', 'contradictions', 'a store in the site', 'nesting without end'].includes(
          what,
        ),
    );
    for (const [what, text] of refused) expect([what, validate(parse(text))]).toEqual([what, false]);
  });
});
