/** Calls of the library with slips in them: each is refused by one of Fenestra's own errors, and changes nothing. */
import { join } from 'node:path';
import { describe, expect, it, test } from 'vitest';
import { FenestraError, openProject, type Project } from '../../src/library/index.js';
import { SEED } from '../helpers/chance.js';
import { makeProject, writeFiles } from '../helpers/program.js';
import { Attack } from './attack-kit.js';

const home = makeProject();
const config = join(home, 'fenestra.yaml');
const open = (): Promise<Project> => openProject({ config });
type Call = (project: Project, ...given: unknown[]) => Promise<unknown>;
const CALLS: Readonly<Record<string, Call>> = {
  openProject: (_project, given) => openProject(given as never),
  survey: (project, given) => project.survey(given as never),
  publish: (project, given) => project.publish(given as never),
  check: (project, given) => project.check(given as never),
  trace: (project, given) => project.trace('/', given as never),
  serve: async (project, given) => {
    const served = await project.serve(given as never);
    await served.close();
  },
  history: (project, given) => project.history(given as never),
  access: (project, given) => project.access(given as never, 'test-mill'),
};
const failureOf = (work: Promise<unknown>): Promise<unknown> =>
  work.then(
    () => 'done',
    (error: unknown) =>
      error instanceof FenestraError ? `${error.code}: ${error.message} ${error.fix}` : error,
  );

describe('a slip', () => {
  test.each<[call: string, given: unknown, said: RegExp]>([
    ['publish', { dryrun: true }, /USAGE: publish\(\) has no option "dryrun"\. Did you mean dryRun\?/],
    ['openProject', { destination: 'live' }, /openProject\(\) has no option "destination"/],
    ['openProject', { config, To: 'live' }, /Did you mean to\?/],
    ['access', 'opne', /access\(\) takes 'open' or 'close', and was given "opne"\. Did you mean 'open'\?/],
    ['access', 'closed', /Did you mean 'close'\?/],
    ['access', undefined, /was given undefined/],
    ['openProject', { config: 'a\0' }, /without null characters/],
    ['publish', { note: 1234 }, /The option note of publish\(\) takes text.*was given 1234/],
    ['publish', { dryRun: 'false' }, /takes true or false, and was given "false"/],
    ['publish', { prove: { failon: 'note' } }, /The option prove of publish\(\)/],
    ['publish', 'dryRun', /takes its options as an object/],
    ['publish', null, /was given null/],
    ['publish', ['dryRun'], /was given a list/],
    ['publish', JSON.parse('{"__proto__": true}'), /has no option "__proto__"/],
    ['publish', { constructor: 1 }, /has no option "constructor"/],
    ['check', { failOn: 'errors' }, /takes one of 'error', 'warning', 'note'.*Did you mean 'error'\?/],
    ['check', { concurrency: '8' }, /whole number from 1 to 256/],
    ['check', { rate: 0 }, /whole number from 1/],
    ['check', { answerTime: Number.NaN }, /answerTime/],
    ['serve', { port: 70_000 }, /whole number from 0 to 65535/],
    ['serve', { port: 4680.5 }, /whole number/],
    ['survey', { rule: -1 }, /rule/],
    ['survey', { matching: '' }, /matching/],
    ['trace', { headers: ['a'] }, /headers/],
    ['trace', { headers: { a: 1 } }, /headers/],
    ['history', 'one', /is a number/],
    ['history', 1.5, /named by its number/],
  ])('%s(%j) is refused', async (call, given, said) => {
    const project = await open();
    expect(await failureOf(CALLS[call]?.(project, given) ?? Promise.resolve())).toMatch(said);
  });

  it('in what a server is asked is refused too', async () => {
    const project = await open();
    const served = await project.serve({ unpublished: true });
    try {
      expect(await failureOf(served.fetch(undefined as never))).toMatch(/USAGE/);
      expect(await failureOf(served.fetch('/', { header: {} } as never))).toMatch(/Did you mean headers\?/);
      expect((await served.fetch('/')).status).toBe(200);
    } finally {
      await served.close();
    }
    expect(await failureOf(served.fetch('/'))).toMatch(/^ENDPOINT_DEAD: .*nothing listens there/);
  });
});

const VALUES: readonly unknown[] = [
  undefined,
  null,
  true,
  0,
  -1,
  1e308,
  Number.NaN,
  '',
  'here',
  'test-mill',
  '\0',
  '../..',
  [],
  ['**'],
  {},
  { failOn: 'note' },
  () => 1,
  Symbol('x'),
  10n,
  new Date(0),
];
const NAMES = [
  'dryRun',
  'dryrun',
  'matching',
  'note',
  'sure',
  'prove',
  'like',
  'at',
  'all',
  'port',
  'host',
  'to',
  'config',
  'rule',
  'type',
  'rate',
  'agreed',
  'headers',
  'method',
  'failOn',
  'expect',
  '__proto__',
  'x',
];

it(`random options change nothing unasked (FENESTRA_SEED=${SEED})`, { timeout: 3_600_000 }, async () => {
  const attack = new Attack('calls of the library with random options', 120);
  const project = await open();
  await project.publish();
  for (let round = 0; round < attack.rounds; round++) {
    writeFiles(home, { 'site/index.html': `<!doctype html><title>${round}</title>` });
    const before = (await project.history()).releases.length;
    const call = attack.pick(Object.keys(CALLS));
    const given =
      attack.below(6) === 0
        ? attack.pick(VALUES)
        : Object.fromEntries(
            Array.from({ length: attack.below(4) }, () => [attack.pick(NAMES), attack.pick(VALUES)]),
          );
    const said = await failureOf(CALLS[call]?.(project, given) ?? Promise.resolve());
    const after = (await project.history()).releases.length;
    const what = `${call}(${String(JSON.stringify(given, (_name, value: unknown) => (typeof value === 'bigint' ? 'big' : value)))}): ${String(said)}`;
    if (typeof said !== 'string') attack.harm(`threw something else: ${what}`);
    else if (said.startsWith('DEFECT')) attack.harm(`a defect: ${what}`);
    else if (after !== before && (call !== 'publish' || said !== 'done')) attack.harm(`published: ${what}`);
    else attack.note(said.split(':', 1)[0] ?? '');
  }
  attack.finish();
});
