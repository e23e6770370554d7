/** The JSON document of a sweep. */
import type { Change } from '../../core/release/change-list.js';
import type { Waiting } from '../../core/release/waiting.js';
import type { ReleaseRecord } from '../../core/release/release.js';
import { waitingJson, type WaitingJson } from './waiting-json.js';

export interface SweepJson {
  readonly bucket: string;
  /** The release that was made without what was due; null where none was. */
  readonly release: number | null;
  readonly due: readonly { readonly key: string; readonly plainKey?: string }[];
  readonly waiting: readonly WaitingJson[];
  /** Bodies that no release needed, and their bytes. */
  readonly freed: { readonly bodies: number; readonly bytes: number };
}

export const sweepJson = (
  bucket: string,
  { due, waiting }: { readonly due: readonly Change[]; readonly waiting: readonly Waiting[] },
  swept:
    | {
        readonly record: ReleaseRecord | undefined;
        readonly removed: { readonly bodies: number; readonly bytes: number };
      }
    | undefined,
): SweepJson => ({
  bucket,
  release: swept?.record?.release ?? null,
  due: due.map(({ key, plainKey }) => ({ key, ...(plainKey === undefined ? {} : { plainKey }) })),
  waiting: waiting.map(waitingJson),
  freed: swept?.removed ?? { bodies: 0, bytes: 0 },
});
