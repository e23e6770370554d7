import { describe, expect, it, test } from 'vitest';
import { chance, SEED } from './helpers/chance.js';
import { CONFIG, fenestra, makeProject, PAGE } from './helpers/program.js';

/** Names that every object has, and that a careless table answers to. */
const NAMES = ['constructor', '__proto__', 'toString', 'valueOf', 'hasOwnProperty', '__defineGetter__'];

describe(`names that every object has (FENESTRA_SEED=${SEED})`, () => {
  const files = Object.fromEntries(
    NAMES.flatMap((name) => [
      [`site/as/${name}`, 'text'],
      [`site/x.${name}`, 'text'],
      [
        `site/${name}/${name}.html`,
        `${PAGE}<${name} href="/${name}"></${name}><link rel=preload as=${name} href=/x.${name}>`,
      ],
      [`site/${name}.svg`, '<svg/>'],
    ]),
  );
  const home = makeProject(files);

  it('are files, folders and extensions like any others', async () => {
    for (const words of [['survey'], ['publish', '--yes'], ['access', 'open', '--sure', 'test-mill']])
      expect(await fenestra(home, ...words)).toMatchObject({ code: 0, err: '' });
    const { out } = await fenestra(home, 'bucket', 'show', '--json');
    expect(JSON.parse(out)).toMatchObject({ objects: 4 * NAMES.length + 2 });
    expect((await fenestra(home, 'check')).code).not.toBe(70);
  });

  const pick = chance('names');
  const name = (): string => NAMES[Math.floor(pick() * NAMES.length)] ?? '';
  test.each([
    ['survey', '--matching', name()],
    ['survey', '--matching', `*.${name()}`],
    ['survey', '--explain', name()],
    ['survey', '--explain', `${name()}x`],
    ['survey', '--type', name()],
    ['publish', '--to', name()],
    ['publish', '--diff', name()],
    ['publish', '--dry-run', '--matching', `${name()}/**`],
    ['trace', `/${name()}`],
    ['trace', `/x.${name()}`],
    ['trace', '/', '--header', `${name()}: x`],
    ['trace', '/', '--method', name()],
    ['trace', `http://${name().toLowerCase().replace(/_/g, '')}.localhost/`],
    ['serve', '--show', name(), '--port', '0'],
    ['check', '--report', `r.${name()}`],
    ['history', name()],
    ['bucket', 'show', name()],
    ['bucket', 'create', name()],
    ['bucket', 'empty', '--matching', name(), '--sure', name()],
    ['config', name()],
    [name()],
    [`--${name()}`],
    ['survey', `--${name()}`],
  ])('%s %s %s is no defect', async (...words) => {
    const { code, err } = await fenestra(home, ...words.filter((word) => word !== undefined));
    expect(code, err).not.toBe(70);
    expect(err).not.toMatch(/\[native code\]|function /);
  });

  test.each(NAMES)('%s as a setting is refused at its line', async (setting) => {
    for (const text of [
      `${CONFIG}${setting}: 1\n`,
      `${CONFIG}quirks: { ${setting}: 1 }\n`,
      `${CONFIG}stores: { ${setting}: { kind: embedded } }\n`,
      `${CONFIG}stores: { x: { kind: ${setting} } }\n`,
      `${CONFIG}assign: [{ to: "*", ${setting}: 1 }]\n`,
      `${CONFIG}assign: [{ to: "*", cache: ${setting} }]\n`,
      `${CONFIG}assign: [{ to: "*", cache: 3 ${setting} }]\n`,
      CONFIG.replace('rehearsal', setting),
      CONFIG.replace('here', setting),
    ]) {
      const { code, err } = await fenestra(makeProject({}, text), 'config', 'check');
      expect([text, code === 70, err.includes('native code')]).toEqual([text, false, false]);
    }
  });
});
