import { execFile } from 'node:child_process';
import { promisify } from 'node:util';
import { join, resolve } from 'node:path';
import { describe, expect, it, test, vi } from 'vitest';
import { createProgressLine } from '../src/cli/progress-line.js';
import { createProgressJson } from '../src/cli/progress-json.js';
import { runSteps, STEP_NAMES, type Step } from '../src/jobs/progress.js';
import { formatProgress, STEP_WORDS } from '../src/report/text/progress-text.js';
import { fenestra, makeProject } from './helpers/program.js';
import { need } from './helpers/machine.js';

/** Until something holds, looked at in every turn of the event loop. */
async function waitFor(holds: () => boolean): Promise<void> {
  while (!holds()) await new Promise(setImmediate);
}

const stepsOf = (err: string): string[] =>
  err
    .trim()
    .split('\n')
    .map((line) => (JSON.parse(line) as { step: string }).step);

describe('--progress json', () => {
  it('tells each step of a job on a line of its own, on stderr, beside the one document', async () => {
    const home = makeProject({ 'site/large.bin': Buffer.alloc(2_000_000, 7) });
    const published = await fenestra(home, 'publish', '--yes', '--json', '--progress', 'json');
    expect(stepsOf(published.err)).toEqual(['survey', 'compare', 'send', 'release', 'tidy']);
    const sent = published.err.split('\n').find((line) => line.includes('"send"')) ?? '{}';
    expect(JSON.parse(sent)).toMatchObject({ step: 'send', bytes: expect.any(Number) as number, objects: 3 });
    expect(JSON.parse(published.out)).toMatchObject({ release: 1 });
    const checked = await fenestra(home, 'check', '--progress', 'json');
    expect(stepsOf(checked.err)).toEqual(['survey', 'compare', 'inspect', 'probe']);
    const verified = await fenestra(home, 'bucket', 'show', '--verify', '--progress', 'json');
    expect(stepsOf(verified.err)).toEqual(['verify']);
    const proved = await fenestra(home, 'restore', '1', '--progress', 'json');
    expect(stepsOf(proved.err)).toEqual(['compare']);
  });

  it('is silent otherwise in a pipe, and refuses other words', async () => {
    const home = makeProject();
    expect((await fenestra(home, 'publish', '--yes')).err).toBe('');
    expect((await fenestra(home, 'publish', '--yes', '--progress', 'none')).err).toBe('');
    expect(await fenestra(home, 'publish', '--progress', 'bar')).toMatchObject({ code: 2 });
  });

  it('ends the step under way when something goes wrong', () => {
    const lines: string[] = [];
    const teller = createProgressJson((text) => lines.push(text));
    teller.step('survey');
    teller.step('survey', { objects: 9 });
    teller.advance(0, 4);
    teller.end();
    teller.end();
    expect(lines).toHaveLength(1);
    expect(JSON.parse(lines[0] ?? '')).toMatchObject({ step: 'survey', objects: 4 });
  });
});

describe('the line on a terminal', () => {
  it('has words for every step', () => {
    expect(Object.keys(STEP_WORDS).sort()).toEqual([...STEP_NAMES].sort());
  });
  test.each<[string, object, object, number, number, string]>([
    [
      'send',
      { bytes: 30e6, objects: 3 },
      { bytes: 120e6, objects: 9 },
      3,
      100,
      'Sending  █████░░░░░░░░░░░░░░░  25 %  30.0 MB of 120 MB  10.0 MB/s  9 s left',
    ],
    [
      'probe',
      { objects: 500 },
      { objects: 1000 },
      2,
      100,
      'Asking  ██████████░░░░░░░░░░  50 %  500 of 1,000  250/s  2 s left',
    ],
    [
      'probe',
      { objects: 1000 },
      { objects: 1000 },
      2,
      100,
      'Asking  ████████████████████  100 %  1,000 of 1,000  500/s',
    ],
    ['send', { bytes: 1e6 }, { bytes: 1e9 }, 10, 40, 'Sending  0 %  3 h left'],
    ['survey', { objects: 12 }, {}, 1, 80, 'Reading the site  12  12/s'],
    ['verify', { bytes: 0 }, { bytes: 1e6 }, 1, 80, 'Verifying  ░░░░░░░░░░░░░░░░░░░░  0 %  0 B of 1.0 MB'],
    [
      'send',
      { bytes: 2e6 },
      { bytes: 1e6 },
      1,
      80,
      'Sending  ████████████████████  100 %  2.0 MB of 1.0 MB  2.0 MB/s',
    ],
  ])('%s %j of %j after %i s in %i columns', (step, done, all, seconds, width, line) => {
    expect(formatProgress(step, done, all, seconds, width)).toBe(line);
    expect(formatProgress(step, done, all, seconds, width).length).toBeLessThan(width);
  });
  it('is drawn once a step takes its time, and taken away before anything else is written', async () => {
    let now = 0;
    const clock = vi.spyOn(performance, 'now').mockImplementation(() => now);
    let written = '';
    const drawn = new Promise<void>((done) => {
      const stream = {
        isTTY: true,
        columns: 90,
        write: (text: string) => {
          written += text;
          if (written.includes('25 %')) done();
        },
      };
      const teller = createProgressLine(stream as unknown as NodeJS.WriteStream);
      teller.step('send', { bytes: 4e6 });
      teller.advance(5e5, 1);
      expect(written).toBe('');
      now = 1000;
      teller.advance(1e6, 2);
      void waitFor(() => written.includes('25 %')).then(() => teller.end());
    });
    await drawn;
    await waitFor(() => written.endsWith('\u001b[?25h') || written.includes('\u001b[0K'));
    expect(written).toContain('Sending  █████░░░░░░░░░░░░░░░  25 %  1.0 MB of 4.0 MB  1.0 MB/s  3 s left');
    clock.mockRestore();
  });
  it('is drawn in a terminal and leaves nothing of itself behind', async (context) => {
    need(context, 'a pseudo-terminal');
    const files = Object.fromEntries(
      Array.from({ length: 400 }, (_, n) => [`site/f${n}.bin`, Buffer.alloc(150_000, n)]),
    );
    const home = makeProject(files);
    const command = `${process.execPath} ${resolve('dist/fenestra.js')} publish --yes`;
    const { stdout } = await promisify(execFile)('script', ['-qec', command, join(home, 'typescript')], {
      cwd: home,
      encoding: 'utf8',
      env: { ...process.env, NO_COLOR: '1' },
    });
    // Whatever was drawn is cleared again before the next thing is written.
    expect(stdout.split('█').length > 1).toBe(stdout.includes('\u001b[2K'));
    expect(stdout).toContain('Published release 1');
    expect(stdout.slice(stdout.indexOf('Published'))).not.toMatch(/[█░]/);
  });
});

it('steps run in order, are passed over where they have nothing to do, and end with the first that throws', async () => {
  const told: string[] = [];
  const progress = {
    step: (name: string) => void told.push(name),
    advance: () => undefined,
    remark: () => undefined,
  };
  const steps: Step<{ fail: boolean }>[] = [
    { name: 'survey', run: () => undefined },
    { name: 'probe', when: () => false, run: () => Promise.reject(new Error('never')) },
    { name: 'send', run: ({ fail }) => (fail ? Promise.reject(new Error('no')) : undefined) },
    { name: 'release', run: () => undefined },
  ];
  await runSteps(steps, { fail: false }, progress);
  await expect(runSteps(steps, { fail: true }, progress)).rejects.toThrow('no');
  expect(told).toEqual(['survey', 'send', 'release', 'survey', 'send']);
});
