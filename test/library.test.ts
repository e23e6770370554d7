import { cpSync, mkdirSync, mkdtempSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { execa } from 'execa';
import { afterAll, beforeAll, expect, it } from 'vitest';
import { describeWith } from './helpers/machine.js';
import { runIn } from './helpers/program.js';

/** The code of a page, by the name of the file that the page gives it. */
function codeOf(page: string): Map<string, string> {
  const text = readFileSync(page, 'utf8');
  const found = text.matchAll(/^`([\w.-]+)`[^\n]*:\n\n```\w+\n([^]*?)^```/gm);
  return new Map([...found].map(([, name = '', code = '']) => [name, code]));
}

const library = codeOf('docs/library.md');
const stores = codeOf('docs/stores.md');
let home: string;

beforeAll(async () => {
  home = mkdtempSync(join(tmpdir(), 'fenestra-library-'));
  cpSync('demo/wendle-mill', home, { recursive: true });
  writeFileSync(join(home, 'package.json'), '{ "private": true, "type": "module" }');
  for (const [name, code] of [...library, ...stores]) writeFileSync(join(home, name), code);
  const { stdout } = await execa('npm', ['pack', '--silent', '--pack-destination', home]);
  const tarball = join(home, stdout.trim().split('\n').at(-1) ?? '');
  await execa('npm', ['install', '--no-audit', '--no-fund', '--ignore-scripts', '--no-save', tarball], {
    cwd: home,
  });
  for (const each of ['vitest', '@types', 'typescript', 'undici-types']) {
    mkdirSync(join(home, 'node_modules'), { recursive: true });
    symlinkSync(resolve('node_modules', each), join(home, 'node_modules', each));
  }
  // The package is built and installed, beside whatever else a busy machine does.
}, 600_000);
afterAll(() => rmSync(home, { recursive: true, force: true }));

const run = (command: string, ...words: string[]): ReturnType<typeof runIn> => runIn(home, command, ...words);
const node = async (file: string): Promise<{ code: number; text: string }> => run(process.execPath, file);
const vitest = async (file: string): Promise<{ code: number; text: string }> =>
  run(
    process.execPath,
    resolve('node_modules/vitest/vitest.mjs'),
    'run',
    '--root',
    home,
    '--testTimeout',
    '60000',
    file,
  );

describeWith(['a registry of packages'], 'the library, installed from its package', () => {
  it('has three examples, and they do what the page says', async () => {
    expect([...library.keys()]).toEqual(['publish.mjs', 'asked-every-time.mjs', 'site.test.mjs']);
    expect(await node('publish.mjs')).toEqual({ code: 0, text: '49 objects, 49 changed, release 1' });
    expect(await node('publish.mjs')).toEqual({ code: 0, text: '49 objects, 0 changed, release 1' });
    expect(await node('asked-every-time.mjs')).toEqual({
      code: 0,
      text: '0 of 13 pictures are asked for on every visit',
    });
    const tested = await vitest('site.test.mjs');
    expect(tested.text).toMatch(/Tests +2 passed \(2\)/);
  });

  it('fails with a code, and asks for the name where a terminal would', async () => {
    const code = `
      import { FenestraError, openProject } from 'fenestra';
      const tell = (work) => work.then(() => 'done', (e) => [e instanceof FenestraError, e.code, e.exit, e.fix]);
      const steps = [];
      const progress = { step: (name) => steps.push(name), advance() {}, remark() {} };
      const project = await openProject({ progress });
      await project.publish();
      console.log(JSON.stringify([
        await tell(openProject({ config: 'nothing.yaml' })),
        await tell(openProject({ to: 'nowhere' })),
        await tell(project.access('open', 'other')),
        await tell(project.survey({ matching: 'posters/' })),
        await tell(project.trace('http://other.example/')),
        (await project.history()).releases.length,
        (await project.history(1)).changes.length,
        (await project.publish({ dryRun: true })).release,
        [...new Set(steps)].includes('survey'),
      ]));
    `;
    writeFileSync(join(home, 'fails.mjs'), code);
    const { text } = await node('fails.mjs');
    const [missing, nowhere, other, matching, host, releases, changes, release, stepped] = JSON.parse(
      text,
    ) as [unknown[], unknown[], unknown[], unknown[], unknown[], number, number, number, boolean];
    expect([missing.slice(0, 3), nowhere.slice(0, 3)]).toEqual([
      [true, 'CONFIG_MISSING', 2],
      [true, 'DESTINATION_UNKNOWN', 2],
    ]);
    expect(other).toEqual([true, 'CONFIRMATION_WRONG', 4, expect.stringContaining("sure: 'wendle-mill'")]);
    expect(matching.slice(0, 2)).toEqual([true, 'USAGE']);
    expect(host.slice(0, 2)).toEqual([true, 'HOST_UNKNOWN']);
    expect([releases, changes, release, stepped]).toEqual([1, 49, 1, true]);
  });

  it('has types that a strict script is checked by', async () => {
    writeFileSync(
      join(home, 'typed.mts'),
      `import { openProject, type CheckJson, type Project, type Store } from 'fenestra';
      import { storeContract, type ContractCase } from 'fenestra/store-contract';
      const project: Project = await openProject();
      const outcome: CheckJson = await project.check({ expect: 'open' });
      const fixes: string[] = outcome.failures.map(({ fix }) => fix);
      export const cases = async (make: () => Store): Promise<ContractCase[]> => storeContract(make, { seed: 1 });
      // @ts-expect-error there is no such option
      await project.survey({ matches: '**' });
      // @ts-expect-error opening asks for the name
      await project.access('open');
      export { fixes };`,
    );
    const words = ['--noEmit', '--strict', '--target', 'es2022', '--module', 'nodenext', 'typed.mts'];
    expect(await run(process.execPath, resolve('node_modules/typescript/bin/tsc'), ...words)).toEqual({
      code: 0,
      text: '',
    });
  });
});

describeWith(['a registry of packages'], 'a store of your own', () => {
  it('passes the contract that comes with the package', async () => {
    const { text } = await vitest('shelf.test.mjs');
    expect(text).toMatch(/Tests +[12]\d passed \([12]\d\)/);
  });

  it('is published to by its name in the config, within what it guarantees', async () => {
    const config = readFileSync(join(home, 'fenestra.yaml'), 'utf8').replace(
      /^destinations:\n/m,
      'stores:\n  shelf: { module: ./shelf.mjs }\ndestinations:\n  kept: { store: shelf, bucket: kept-mill }\n',
    );
    writeFileSync(join(home, 'kept.yaml'), config);
    const fenestra = async (...words: string[]): Promise<{ code: number; text: string }> =>
      run(join(home, 'node_modules/.bin/fenestra'), ...words, '--config', 'kept.yaml');
    const published = await fenestra('publish', '--yes');
    expect(published.code).toBe(0);
    expect(published.text).toMatch(/shelf makes no release at one instant/);
    expect(published.text).toMatch(/Published release 1 of kept-mill: 49 objects, at /);
    expect((await fenestra('publish', '--yes')).text).toMatch(/Nothing has changed/);
    expect((await fenestra('history')).text).toMatch(/at release 1\. Its store keeps no earlier ones/);
    expect(await fenestra('restore', '1')).toMatchObject({
      code: 4,
      text: expect.stringMatching(/cannot go back/) as string,
    });
    expect((await fenestra('access', 'open', '--sure', 'kept-mill')).code).toBe(0);
    const checked = await fenestra('check');
    expect(checked.text).toMatch(/It works\. kept-mill, release 1/);
    expect((await fenestra('trace', '/drafts/winter-costs.csv')).text).toMatch(/403/);
    expect((await fenestra('bucket', 'list')).text).toMatch(/kept-mill +open +not known/);
    expect((await fenestra('bucket', 'show', '--verify')).text).toMatch(/Whole.*49 objects/);
    expect(await fenestra('serve', '--to', 'kept')).toMatchObject({
      code: 2,
      text: expect.stringMatching(/is not on this machine/) as string,
    });
    writeFileSync(join(home, 'site/index.html'), '<!doctype html><title>New</title>');
    expect(await fenestra('publish', '--yes', '--prove')).toMatchObject({
      code: 4,
      text: expect.stringMatching(/shelf cannot prove a release first/) as string,
    });
    expect((await fenestra('bucket', 'remove', '--with-contents', '--sure', 'kept-mill')).code).toBe(0);
  });

  it('gets nothing that it could not keep from the public', async () => {
    const shelf = readFileSync(join(home, 'shelf.mjs'), 'utf8');
    writeFileSync(join(home, 'open-shelf.mjs'), shelf.replace('policyByKey: true', 'policyByKey: false'));
    const asked = readFileSync(join(home, 'kept.yaml'), 'utf8').replace('shelf.mjs', 'open-shelf.mjs');
    writeFileSync(join(home, 'open.yaml'), asked);
    const fenestra = async (...words: string[]): Promise<{ code: number; text: string }> =>
      run(join(home, 'node_modules/.bin/fenestra'), ...words, '--config', 'open.yaml');
    const refused = await fenestra('publish', '--yes');
    expect([refused.code, refused.text]).toEqual([4, expect.stringContaining('`private: leave-out`')]);
    const config = `${asked}\nprivate: leave-out\n`;
    writeFileSync(join(home, 'open.yaml'), config);
    const { text } = await fenestra('publish', '--yes');
    expect(text).toMatch(/2 objects that nobody may read are not sent: .*\n +drafts\/winter-costs\.csv/);
    expect(text).toMatch(/Published release 1 of kept-mill: 47 objects/);
    const { withheld, changes } = JSON.parse((await fenestra('publish', '--json')).text) as {
      withheld: string[];
      changes: unknown[];
    };
    expect([withheld, changes]).toEqual([
      ['drafts/winter-costs.csv', 'drafts/winter-opening/index.html'],
      [],
    ]);
    expect((await fenestra('trace', '/drafts/winter-costs.csv')).text).not.toMatch(/^200/m);
    // A site that was sent whole, of which a part becomes private: that part goes, though no file has changed.
    const all = config.replace(/except: .*/, 'except: ["nothing/**"]');
    writeFileSync(join(home, 'open.yaml'), all);
    expect((await fenestra('publish', '--yes', '--sure', 'kept-mill')).text).toMatch(/49 objects/);
    writeFileSync(join(home, 'open.yaml'), all.replace('nothing/**', 'museum/**'));
    const narrowed = await fenestra('publish', '--yes', '--sure', 'kept-mill');
    expect(narrowed.text).toMatch(/remove +museum\/index\.html/);
    expect(narrowed.text).toMatch(/Published release 3 of kept-mill: 48 objects/);
    await fenestra('bucket', 'remove', '--with-contents', '--sure', 'kept-mill');
  });

  it.each([
    ['export default 1;', /its default export is no function/],
    ['export default () => ({});', /its store has no buckets\(\)/],
    ['throw new Error("not today");', /not today/],
    ['import "./nothing.mjs";', /Cannot find module/],
  ])('that cannot be made is named: %s', async (code, message) => {
    writeFileSync(join(home, 'broken.mjs'), code);
    const config = readFileSync(join(home, 'kept.yaml'), 'utf8').replace('shelf.mjs', 'broken.mjs');
    writeFileSync(join(home, 'broken.yaml'), config);
    const got = await run(join(home, 'node_modules/.bin/fenestra'), 'history', '--config', 'broken.yaml');
    expect(got).toMatchObject({ code: 3, text: expect.stringMatching(message) as string });
  });
});
