/** Waiting until visitors meet a change of access: a host may remember for a while what a bucket was. */
import { setTimeout as wait } from 'node:timers/promises';
import type { Access } from '../../core/hosting/bucket-view.js';
import { networkReason } from '../../core/errors/network-error.js';
import { keyToPath } from '../../core/site/key.js';
import type { Progress } from '../progress.js';

export interface Seen {
  /** Seconds until an anonymous request was answered accordingly; undefined where none was in time. */
  readonly after?: number;
  /** What was answered last. */
  readonly status?: number;
  /** Why the address does not answer at all. */
  readonly unreachable?: string;
}

/** Hosts remember for a minute. */
const MAX_MS = 90_000;
const FIRST_WAIT_MS = 100;
const MAX_WAIT_MS = 2000;

/**
 * @param address the bucket's own, with a closing slash
 * @param sign an object that an open bucket must answer with, whole
 */
export async function awaitSeen(
  address: string,
  access: Access,
  progress: Progress,
  sign?: { readonly key: string; readonly size: number },
  mostMs = MAX_MS,
): Promise<Seen> {
  const { fetchOnce } = await import('../../endpoint/index.js');
  const began = performance.now();
  const waited = (): number => performance.now() - began;
  progress.step('seen');
  let status: number | undefined;
  for (let pause = FIRST_WAIT_MS; ; pause = Math.min(MAX_WAIT_MS, pause * 2)) {
    try {
      const asked = access === 'open' && sign ? address + keyToPath(sign.key).slice(1) : address;
      const response = await fetchOnce(new URL(asked), {
        headers: { 'cache-control': 'no-cache', 'accept-encoding': 'identity' },
      });
      ({ status } = response);
      const isMet =
        access === 'closed'
          ? status === 401 || status === 403
          : sign
            ? status === 200 && (await response.arrayBuffer()).byteLength === sign.size
            : status !== 401 && status !== 403;
      if (isMet) return { after: waited() / 1000, status };
    } catch (error) {
      return {
        unreachable: networkReason(error) ?? (error instanceof Error ? error.message : String(error)),
      };
    }
    if (waited() + pause > mostMs) return { status };
    await wait(pause);
  }
}
