/**
 * One publisher at a time, of a store that has no compare-and-swap: everyone who wants to publish puts a claim of their
 * own and lists them all; the earliest waits until the others have withdrawn, and holds once its claim stands alone. A
 * claim ends by itself, unless its owner renews it, so it is looked at again before each stage.
 */
import { formatSecond } from '../../core/words/moments.js';
import { setTimeout as wait } from 'node:timers/promises';
import pMap from 'p-map';
import { hostname } from 'node:os';
import { FenestraError, systemCode } from '../../core/errors/catalogue.js';
import type { SwiftClient } from './client.js';
import { byAge, decideClaim, type ListedClaim } from './decide-claim.js';
import { listNames } from './listing.js';
import { CLAIMS, ledgerOf, objectPath } from './names.js';

/** Seconds after which a claim ends that nobody renews. */
const LIFE = 60;
const RENEWED_EVERY_MS = 20_000;
/** How often the claims are listed again, and how long after, each time longer. */
const MAX_LOOKS = 8;
const LOOK_AGAIN_MS = 150;
/** A listing lags behind where nodes have been away: one that lacks the own claim is waited for longer. */
const MAX_LOOKS_UNSEEN = 24;
const LONGEST_MS = 2000;

export interface Claim {
  /** Looks again whether it still holds. @throws FenestraError STORE_BUSY */
  hold(): Promise<void>;
  /** Lets go of it; never throws. */
  release(): Promise<void>;
}

interface Note {
  readonly who: string;
  /** Milliseconds since the epoch, by the owner's clock. */
  readonly since: number;
  /** The process that it belongs to, for those on the same machine. */
  readonly host?: string;
  readonly pid?: number;
}

/** @param nonce names this publisher among all @throws FenestraError STORE_BUSY */
export async function claim(client: SwiftClient, bucket: string, nonce: string, who: string): Promise<Claim> {
  const own = `${CLAIMS}${nonce}`;
  const at = objectPath(ledgerOf(bucket), own);
  const note: Note = { who, since: Date.now(), host: hostname(), pid: process.pid };
  await client.done({
    method: 'PUT',
    path: at,
    headers: { 'content-type': 'application/json', 'x-delete-after': String(LIFE) },
    body: Buffer.from(JSON.stringify(note)),
  });
  const timer = setInterval(() => {
    // What cannot be renewed is noticed by the next look.
    client
      .done({ method: 'POST', path: at, headers: { 'x-delete-after': String(LIFE) }, expect: [404] })
      .catch(() => undefined);
  }, RENEWED_EVERY_MS);
  timer.unref();
  const release = async (): Promise<void> => {
    clearInterval(timer);
    await client.done({ method: 'DELETE', path: at, expect: [404] }).catch(() => undefined);
  };
  let isHeld = false;
  const hold = async (): Promise<void> => {
    for (let tries = 1; ; tries++) {
      const claims = await listClaims(client, bucket);
      const verdict = decideClaim(claims, own);
      if (verdict.outcome === 'held') {
        isHeld = true;
        return;
      }
      const [other] = claims.filter(({ name }) => name !== own).sort(byAge);
      if (other && tries < MAX_LOOKS_UNSEEN && (await isAbandoned(client, bucket, other.name))) {
        await client.done({
          method: 'DELETE',
          path: objectPath(ledgerOf(bucket), other.name),
          expect: [404],
        });
        await wait(LOOK_AGAIN_MS);
        continue;
      }
      // Those who come while it is held withdraw.
      const most = verdict.outcome === 'unseen' ? MAX_LOOKS_UNSEEN : MAX_LOOKS;
      const isBusy = verdict.outcome === 'busy' && !isHeld;
      if (isBusy || tries >= most) {
        const note = other && (await readNote(client, bucket, other.name));
        // It may have let go since it was listed.
        if (verdict.outcome === 'unseen' && !note)
          throw new FenestraError('STORE_LAGS', { store: client.store, bucket });
        if (note || tries >= most) throw busy(bucket, note);
      }
      await wait(Math.min(LOOK_AGAIN_MS * tries, LONGEST_MS));
    }
  };
  try {
    await hold();
  } catch (error) {
    await release();
    throw error;
  }
  return { hold, release };
}

/** A claim that is over may still be listed: only one that is there counts. */
async function listClaims(client: SwiftClient, bucket: string): Promise<ListedClaim[]> {
  const listed: ListedClaim[] = [];
  for await (const { name, lastModified } of listNames(client, ledgerOf(bucket), CLAIMS))
    listed.push({ name, lastModified });
  const there = await pMap(
    listed,
    async (each) => {
      const { status } = await client.done({
        method: 'HEAD',
        path: objectPath(ledgerOf(bucket), each.name),
        headers: { 'x-newest': 'true' },
        expect: [404],
      });
      return status === 404 ? undefined : each;
    },
    { concurrency: 4 },
  );
  return there.flatMap((each) => each ?? []);
}

async function readNote(client: SwiftClient, bucket: string, name: string): Promise<Note | undefined> {
  const { status, bytes } = await client.bytes({
    method: 'GET',
    path: objectPath(ledgerOf(bucket), name),
    headers: { 'x-newest': 'true' },
    expect: [404],
  });
  return status === 404 ? undefined : (JSON.parse(bytes.toString()) as Note);
}

/** Whether a claim is of a process on this machine that is no more. */
async function isAbandoned(client: SwiftClient, bucket: string, name: string): Promise<boolean> {
  const note = await readNote(client, bucket, name);
  if (note?.host !== hostname() || note.pid === undefined) return false;
  try {
    process.kill(note.pid, 0);
    return false;
  } catch (error) {
    return systemCode(error) === 'ESRCH';
  }
}

function busy(bucket: string, note: Note = { who: 'somebody', since: Date.now() }): FenestraError {
  return new FenestraError('STORE_BUSY', {
    bucket,
    who: note.who,
    since: formatSecond(note.since),
    until: formatSecond(Date.now() + LIFE * 1000),
  });
}
