/** `fenestra bucket mend`: what somebody else has changed is shown, and put back. */
import { EXIT } from '../core/errors/catalogue.js';
import { privateBucket } from '../core/release/store-limits.js';
import { isWhole, mendBucket, prepareMending } from '../jobs/bucket/mend-bucket.js';
import type { Project } from '../jobs/project/open-project.js';
import { mendingJson } from '../report/json/mending-json.js';
import { formatMended, formatMending, formatNothingMended, formatWhole } from '../report/text/mend-text.js';
import type { Store } from '../stores/port.js';
import type { Terminal } from './terminal.js';

export interface MendOptions {
  readonly all: boolean;
  readonly yes: boolean;
  readonly 'dry-run': boolean;
  readonly 'in-full': boolean;
}

/** @param name undefined for the destination's bucket, with the closed one beside it where there is one */
export async function mendBuckets(
  project: Project,
  store: Store,
  name: string | undefined,
  options: MendOptions,
  terminal: Terminal,
): Promise<number> {
  const { bucket } = project.destination;
  const beside = privateBucket(bucket);
  const names =
    name !== undefined
      ? [name]
      : !store.guarantees.policyByKey && (await store.bucket(beside))
        ? [bucket, beside]
        : [bucket];
  const documents: object[] = [];
  let isAllThere = true;
  for (const each of names) {
    const { document, isThere } = await mendOne(project, store, each, options, terminal);
    documents.push(document);
    isAllThere &&= isThere;
  }
  terminal.printJson({ buckets: documents });
  return isAllThere ? EXIT.done : EXIT.found;
}

async function mendOne(
  project: Project,
  store: Store,
  name: string,
  { all, yes, 'dry-run': dryRun, 'in-full': inFull }: MendOptions,
  { paint, print, progress, questions }: Terminal,
): Promise<{ readonly document: object; readonly isThere: boolean }> {
  const mending = await prepareMending(project, store, name, all, progress);
  print(formatMending(mending, inFull, paint));
  const ended = (release: number | null): { document: object; isThere: boolean } => ({
    document: mendingJson(mending, release),
    isThere: mending.lost.length === 0,
  });
  if (isWhole(mending)) {
    print(`\n${formatWhole(paint)}`);
    return ended(null);
  }
  if (dryRun) {
    print(`\n${formatNothingMended(paint)}`);
    return ended(null);
  }
  if (mending.settings.length + mending.objects.length === 0) return ended(null);
  const release = await mendBucket(project, store, mending, yes, progress, questions(undefined));
  print(`\n${formatMended(mending, release, paint)}`);
  return ended(release ?? null);
}
