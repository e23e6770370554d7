/** How the text of one object would change. */
import { isUtf8 } from 'node:buffer';
import { join } from 'node:path';
import { FenestraError } from '../../core/errors/catalogue.js';
import { nearestWord } from '../../core/caching/duration.js';
import { formatBytes } from '../../core/site/format-bytes.js';
import { readPublished } from '../../disk/read-file.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import { visible, type Paint } from '../../report/text/paint.js';
import type { BucketStore } from '../../stores/port.js';
import type { Project } from './project.js';
import type { Changes } from './publish-work.js';

const MOST_BYTES = 2_000_000;

export async function formatBodyDiff(
  wanted: string,
  { changes }: Changes,
  { config, destination }: Project,
  site: SurveyedSite,
  store: BucketStore | undefined,
  paint: Paint,
): Promise<string> {
  const key = wanted.replace(/^\//, '').normalize('NFC');
  const change = changes.find((each) => each.key === key);
  const object = site.objects.find((each) => each.key === key);
  if (!change) {
    if (object) return `${key} would not change.`;
    const near = nearestWord(
      key,
      changes.map((each) => each.key),
    );
    throw new FenestraError('KEY_UNKNOWN', { key, nearest: near === undefined ? '' : `; there is ${near}` });
  }
  if (change.was?.digest === change.becomes?.digest)
    return `The bytes of ${key} stay; ${change.change === 'relabel' ? 'its headers change: publish --dry-run --in-full shows them' : 'nothing changes'}.`;
  const before = change.was && store ? await readStored(store, destination.bucket, key) : Buffer.alloc(0);
  const after =
    object && change.becomes
      ? readPublished(join(config.site, object.path), object.decision.encoding)
      : Buffer.alloc(0);
  if (![before, after].every((bytes) => bytes.length <= MOST_BYTES && isUtf8(bytes) && !bytes.includes(0))) {
    return `${key} is not text that can be compared: ${formatBytes(before.length)} → ${formatBytes(after.length)}.`;
  }
  const { createTwoFilesPatch } = await import('diff');
  const patch = createTwoFilesPatch(
    `${key} as published`,
    `${key} in the site`,
    before.toString(),
    after.toString(),
    undefined,
    undefined,
    { context: 2 },
  );
  return patch
    .split('\n')
    .slice(1)
    .map((line) =>
      line.startsWith('+')
        ? paint.good(visible(line))
        : line.startsWith('-')
          ? paint.bad(visible(line))
          : visible(line),
    )
    .join('\n')
    .trimEnd();
}

async function readStored(store: BucketStore, bucket: string, key: string): Promise<Buffer> {
  for (const object of store.listObjects(bucket)) {
    if (object.key !== key) continue;
    if (object.size === 0) return Buffer.alloc(0);
    const chunks: Buffer[] = [];
    for await (const chunk of (await store.openObject(object)) as AsyncIterable<Buffer>) chunks.push(chunk);
    return Buffer.concat(chunks);
  }
  return Buffer.alloc(0);
}
