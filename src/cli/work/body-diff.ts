/** How the text of one object would change. */
import { isUtf8 } from 'node:buffer';
import { join } from 'node:path';
import { FenestraError } from '../../core/errors/catalogue.js';
import { nearestWord } from '../../core/words/nearest-word.js';
import type { ObjectState } from '../../core/release/change-list.js';
import { formatBytes } from '../../core/words/counts.js';
import { decodeBytes } from '../../disk/encode.js';
import { readPublished } from '../../disk/read-file.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import { visible, type Paint } from '../../report/text/paint.js';
import type { BucketStore } from '../../stores/port.js';
import type { Project } from './project.js';
import type { Changes } from './publish-work.js';

const MOST_BYTES = 2_000_000;
/** Milliseconds to look for what two texts have in common. */
const TIMEOUT_MS = 5_000;
const NOTHING = Buffer.alloc(0);

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
  const { was, becomes } = change;
  const sizes = `${formatBytes(was?.size ?? 0)} → ${formatBytes(becomes?.size ?? 0)}`;
  const incomparable = `${key} is not text that can be compared: ${sizes}.`;
  if (Math.max(was?.size ?? 0, becomes?.size ?? 0) > MOST_BYTES) return incomparable;
  const before = textOf(was, was && store ? await readStored(store, destination.bucket, key) : NOTHING);
  const after = textOf(
    becomes,
    object && becomes ? readPublished(join(config.site, object.path), object.decision.encoding) : NOTHING,
  );
  if (before === undefined || after === undefined) return incomparable;
  const { createTwoFilesPatch } = await import('diff');
  const patch = createTwoFilesPatch(
    `${key} as published`,
    `${key} in the site`,
    before,
    after,
    undefined,
    undefined,
    { context: 2, timeout: TIMEOUT_MS },
  );
  if (patch === undefined) return `${key} is other text from end to end: ${sizes}.`;
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

/** The text that readers see, whatever it is compressed with; undefined when it is none. */
function textOf(state: ObjectState | undefined, bytes: Buffer): string | undefined {
  const encoding = state?.headers['Content-Encoding'];
  let plain = bytes;
  try {
    if (encoding === 'gzip' || encoding === 'br') plain = decodeBytes(bytes, encoding, MOST_BYTES);
  } catch {
    return undefined;
  }
  return isUtf8(plain) && !plain.includes(0) ? plain.toString() : undefined;
}

async function readStored(store: BucketStore, bucket: string, key: string): Promise<Buffer> {
  for (const object of store.listObjects(bucket)) {
    if (object.key !== key) continue;
    if (object.size === 0) return NOTHING;
    const chunks: Buffer[] = [];
    for await (const chunk of (await store.openObject(object)) as AsyncIterable<Buffer>) chunks.push(chunk);
    return Buffer.concat(chunks);
  }
  return NOTHING;
}
