import { createReadPolicy } from '../../core/access/read-policy.js';
import { looksSecret } from '../../core/site/names.js';
import { countOf, formatBytes } from '../../core/words/counts.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { columns, visible, type Paint } from '../../report/text/paint.js';
import type { BucketState } from '../../stores/port.js';
import { defineCommand } from '../command.js';
import { needBucket, openProject, withStore, type Project } from '../work/project.js';

interface Args {
  readonly action: 'show' | 'open' | 'close';
  readonly to: string | undefined;
  readonly sure: string | undefined;
}

interface Readers {
  readonly objects: number;
  readonly readable: { readonly count: number; readonly bytes: number };
  readonly barred: readonly { readonly key: string; readonly because: string }[];
  /** Readable keys whose names look secret. */
  readonly risky: readonly string[];
}

export default defineCommand<Args>({
  positionals: '<action>',
  describe:
    'The two gates between a visitor and an object: the bucket itself, and the public-read policy over its keys.',
  examples: [
    ['fenestra access show', 'who can read what'],
    ['fenestra access open', 'let the public in; asks for the name of the bucket'],
    ['fenestra access close', 'shut everyone out, at once'],
  ],
  options: (yargs) =>
    yargs
      .positional('action', {
        choices: ['show', 'open', 'close'] as const,
        demandOption: true,
        describe: 'what to do',
      })
      .option('to', {
        type: 'string',
        describe: 'the destination, when it is not the first',
        requiresArg: true,
      })
      .option('sure', {
        type: 'string',
        describe: "the bucket's name, to open it without being asked",
        requiresArg: true,
      }),
  async run(args, terminal) {
    const project = await openProject(args);
    const { bucket } = project.destination;
    await withStore(project, async (store) => {
      const state = await needBucket(store, bucket);
      const readers = countReaders(state, store.listObjects(bucket));
      const { paint } = terminal;
      if (args.action === 'open' && state.access === 'closed') {
        terminal.print(formatReaders(state, readers, paint, 'Once open, '));
        await terminal.confirmName(`This opens ${bucket} to everyone.`, bucket, args.sure);
        await store.changeAccess(bucket, 'open');
        terminal.print(`\n${paint.good('Open')}: ${bucket} answers the public at ${project.address}`);
      } else if (args.action === 'open') terminal.print(`${bucket} is open already, at ${project.address}`);
      else if (args.action === 'close') {
        await store.changeAccess(bucket, 'closed');
        terminal.print(
          `${paint.warn('Closed')}: ${bucket} answers 403 to everyone from now on.${state.access === 'closed' ? ' It was closed already.' : ''}`,
        );
      } else terminal.print(formatReaders(state, readers, paint, 'Anyone can read '));
      const now = await needBucket(store, bucket);
      terminal.printJson(toJson(now, readers, project));
    });
    return undefined;
  },
});

function countReaders(state: BucketState, objects: Iterable<StoredObject>): Readers {
  const policy = createReadPolicy(state.settings.readable);
  const barred: { key: string; because: string }[] = [];
  const risky: string[] = [];
  let [count, bytes, all] = [0, 0, 0];
  for (const { key, size } of objects) {
    all++;
    const verdict = policy.explain(key);
    if (!verdict.readable) barred.push({ key, because: verdict.because });
    else {
      count++;
      bytes += size;
      if (looksSecret(key)) risky.push(key);
    }
  }
  return { objects: all, readable: { count, bytes }, barred, risky };
}

function formatReaders(
  state: BucketState,
  { objects, readable, barred, risky }: Readers,
  paint: Paint,
  lead: string,
): string {
  const open = state.access === 'open';
  const gates = [
    [
      'gate 1',
      'the bucket',
      open ? paint.good('open') : paint.bad('closed'),
      open ? 'it answers the public' : 'it answers 403 to everyone',
    ],
    [
      'gate 2',
      'the public-read policy',
      readable.count > 0
        ? paint.good(`covers ${countOf(readable.count, 'object')}`)
        : paint.bad('covers nothing'),
      `${readable.count} of ${objects}, ${formatBytes(readable.bytes)}`,
    ],
  ];
  const who =
    open || lead.startsWith('Once')
      ? `${lead}${lead.startsWith('Once') ? 'anyone can read ' : ''}${countOf(readable.count, 'object')} of ${objects}.`
      : `Nobody can read anything: the bucket is closed. Open it with: fenestra access open --sure ${state.name}`;
  const parts = [
    `${paint.strong(state.name)}, release ${state.release}`,
    columns(gates, [], paint.width),
    who,
  ];
  if (barred.length > 0) {
    const rows = barred
      .slice(0, 15)
      .map(({ key, because }) => [paint.place(visible(key)), paint.soft(visible(because))]);
    parts.push(
      `${paint.strong('Readable by nobody')}: ${countOf(barred.length, 'object')}\n${columns(rows, [], paint.width)}${barred.length > 15 ? paint.soft(`\n  and ${barred.length - 15} more`) : ''}`,
    );
  }
  if (risky.length > 0)
    parts.push(
      `${paint.bad('Readable, though it looks secret')}\n${columns(risky.slice(0, 15).map((key) => [paint.place(visible(key))]))}`,
    );
  return parts.join('\n\n');
}

const toJson = (
  state: BucketState,
  { objects, readable, barred, risky }: Readers,
  project: Project,
): object => ({
  bucket: state.name,
  address: project.address,
  access: state.access,
  release: state.release,
  objects,
  readable,
  notReadable: barred,
  risky,
});
