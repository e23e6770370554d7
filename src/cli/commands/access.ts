import { closeToPublic, openToPublic, readReaders, type Readers } from '../../jobs/access/read-access.js';
import { awaitSeen, type Seen } from '../../jobs/access/await-seen.js';
import { openProject } from '../../jobs/project/open-project.js';
import { addressOf, assertBucket, withStoreThere } from '../../jobs/project/open-store.js';
import {
  formatClosed,
  formatOpenAlready,
  formatOpened,
  formatReaders,
  formatSeen,
} from '../../report/text/access-text.js';
import { driftJson } from '../../report/json/mending-json.js';
import type { Access } from '../../core/hosting/bucket-view.js';
import type { BucketState } from '../../stores/port.js';
import { sayNotServed } from '../say-not-served.js';
import { defineCommand } from '../command.js';
import { sureOption, toOption } from '../options.js';

interface Args {
  readonly action: 'show' | 'open' | 'close';
  readonly to: string | undefined;
  readonly sure: string | undefined;
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
    sureOption(
      toOption(
        yargs.positional('action', {
          choices: ['show', 'open', 'close'] as const,
          demandOption: true,
          describe: 'what to do',
        }),
      ),
      "the bucket's name, to open it without being asked",
    ),
  async run(args, terminal) {
    const project = await openProject(args);
    const { bucket } = project.destination;
    const { paint } = terminal;
    await withStoreThere(project, async (store) => {
      const readers = await readReaders(store, bucket);
      const closed = readers.bucket.access === 'closed';
      const address = await addressOf(project, store);
      let seen: Seen | undefined;
      // A store on this machine has waited itself.
      const saySeen = async (access: Access): Promise<void> => {
        if (store.guarantees.instant) return;
        seen = await awaitSeen(address, access, terminal.progress, readers.sign);
        terminal.print(formatSeen(seen, address, paint));
      };
      if (args.action === 'open' && closed) {
        terminal.print(formatReaders(readers, true, paint));
        await openToPublic(store, bucket, terminal.questions(args.sure));
        terminal.print(`\n${formatOpened(bucket, address, paint)}`);
        await saySeen('open');
        await sayNotServed(project, terminal);
      } else if (args.action === 'open') {
        terminal.print(formatOpenAlready(bucket, address));
        await sayNotServed(project, terminal);
      } else if (args.action === 'close') {
        await closeToPublic(store, readers);
        terminal.print(formatClosed(readers.bucket, closed, paint));
        if (!closed) await saySeen('closed');
      } else terminal.print(formatReaders(readers, false, paint));
      terminal.printJson(toJson(await assertBucket(store, bucket), readers, address, seen));
    });
    return undefined;
  },
});

const toJson = (
  { name, access, release }: BucketState,
  { objects, readable, barred, risky, drift }: Readers,
  address: string,
  seen: Seen | undefined,
): object => ({
  bucket: name,
  address,
  access,
  release,
  ...(seen ? { seenAfter: seen.after ?? null } : {}),
  objects,
  readable,
  notReadable: barred,
  risky,
  ...(drift.length > 0 ? { storeSettings: driftJson(drift) } : {}),
});
