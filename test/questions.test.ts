import { spawn } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { expect, it } from 'vitest';
import { fenestra, fenestraJson, makeFolder, makeProject, writeFiles } from './helpers/program.js';
import { describeWith } from './helpers/machine.js';

/** Runs the program on a terminal of its own, types each answer when its question has come, and returns what was shown. */
function onTerminal(
  cwd: string,
  words: readonly string[],
  dialogue: readonly (readonly [question: string, answer: string])[],
): Promise<{ code: number; shown: string }> {
  return new Promise((done) => {
    const command = [process.execPath, resolve('dist/fenestra.js'), ...words]
      .map((word) => `'${word}'`)
      .join(' ');
    const child = spawn('script', ['-qec', command, '/dev/null'], {
      cwd,
      env: { ...process.env, NO_COLOR: '1', TERM: 'xterm' },
    });
    let shown = '';
    let next = 0;
    child.stdout.on('data', (chunk: Buffer) => {
      shown += chunk.toString();
      const step = dialogue[next];
      if (!step || !shown.includes(step[0])) return;
      next++;
      setTimeout(() => child.stdin.write(step[1]), 200);
    });
    child.on('exit', (code) => done({ code: code ?? -1, shown }));
  });
}

describeWith(['a pseudo-terminal'], 'on a terminal', () => {
  it('publish asks, and takes yes and no', async () => {
    const home = makeProject();
    const no = await onTerminal(home, ['publish'], [['Publish to test-mill', 'n\r']]);
    expect([no.code, no.shown]).toEqual([4, expect.stringContaining('Declined; nothing was changed.')]);
    expect((await fenestra(home, 'bucket', 'list')).out).toContain('There is no bucket yet');
    const yes = await onTerminal(home, ['publish'], [['Publish to test-mill', 'y\r']]);
    expect([yes.code, yes.shown]).toEqual([0, expect.stringContaining('Published release 1')]);
  });
  it('publish shows every property at d, and asks again', async () => {
    const home = makeProject();
    const { code, shown } = await onTerminal(
      home,
      ['publish'],
      [
        ['d for details)', 'd\r'],
        ['none → text/html', 'y\r'],
      ],
    );
    expect(shown).toMatch(/Content-Type +none → text\/html; charset=utf-8/);
    expect([code, shown]).toEqual([0, expect.stringContaining('Published release 1')]);
  });
  it('restore shows every property at d, and asks again', async () => {
    const home = makeProject();
    await fenestraJson(home, 'publish', '--yes');
    writeFiles(home, { 'site/index.html': '<!doctype html><title>Later</title>' });
    await fenestraJson(home, 'publish', '--yes');
    const { code, shown } = await onTerminal(
      home,
      ['restore', '1'],
      [
        ['d for details)', 'd\r'],
        ['      bytes ', 'y\r'],
      ],
    );
    expect([code, shown]).toEqual([
      0,
      expect.stringContaining('Published release 3: the state of release 1'),
    ]);
    expect(shown.split('back to the state of release 1')).toHaveLength(3);
  });
  it('init asks which addresses an application answers itself', async () => {
    const home = makeFolder({
      'dist/index.html':
        '<!doctype html><title>Orders</title><div id="app"></div><script type="module" src="/app.js"></script>',
      'dist/app.js': 'history.pushState(null, "", "/orders")',
    });
    const { code } = await onTerminal(
      home,
      ['init', '--bucket', 'mill-orders'],
      [
        ['Which addresses', '/orders/**, about\r'],
        ['Give what pages', 'n\r'],
      ],
    );
    expect(code).toBe(0);
    expect(readFileSync(join(home, 'fenestra.yaml'), 'utf8')).toContain('appPaths: ["/orders/**","/about"]');
  });
  it('opening and removing ask for the name to be typed, and Ctrl-C declines', async () => {
    const home = makeProject();
    await fenestraJson(home, 'publish', '--yes');
    const wrong = await onTerminal(home, ['access', 'open'], [['Type test-mill to go on', 'tset-mill\r']]);
    expect([wrong.code, wrong.shown]).toEqual([4, expect.stringContaining('"tset-mill" is not test-mill')]);
    const right = await onTerminal(home, ['access', 'open'], [['Type test-mill to go on', 'test-mill\r']]);
    expect([right.code, right.shown]).toEqual([0, expect.stringContaining('answers the public at')]);
    const interrupted = await onTerminal(
      home,
      ['bucket', 'remove', '--with-contents'],
      [['Type test-mill to go on', '\u0003']],
    );
    expect([interrupted.code, interrupted.shown]).toEqual([4, expect.stringContaining('Declined')]);
    expect(await fenestraJson(home, 'bucket', 'show')).toMatchObject({ access: 'open', objects: 2 });
  });
});
