/**
 * One publisher at a time, of a store that has no compare-and-swap: everyone who wants to publish puts a claim of their
 * own and lists them all, and the earliest one wins. A claim ends by itself, unless its owner renews it.
 */
import { setTimeout as wait } from 'node:timers/promises';
import pMap from 'p-map';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { SwiftClient } from './client.js';
import { listNames } from './listing.js';
import { CLAIMS, ledgerOf, objectPath } from './names.js';

/** Seconds after which a claim ends that nobody renews. */
const LIFE = 120;
const RENEWED_EVERY_MS = 40_000;
/** How often the claims are listed again, and how long after, each time longer. */
const MOST_LOOKS = 8;
const LOOK_AGAIN_MS = 150;

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
}

/** @param nonce names this publisher among all @throws FenestraError STORE_BUSY */
export async function claim(client: SwiftClient, bucket: string, nonce: string, who: string): Promise<Claim> {
  const own = `${CLAIMS}${nonce}`;
  const at = objectPath(ledgerOf(bucket), own);
  const note: Note = { who, since: Date.now() };
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
  const hold = async (): Promise<void> => {
    for (let tries = 1; ; tries++) {
      const claims = await listClaims(client, bucket);
      const [first] = claims;
      if (first === own) return;
      // A listing may come late where a node is away: without one's own claim it says nothing of the others'.
      if (claims.includes(own) || tries === MOST_LOOKS) throw await busy(client, bucket, first);
      await wait(LOOK_AGAIN_MS * tries);
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

/** The earliest first. A claim that is over may still be listed: only one that is there counts. */
async function listClaims(client: SwiftClient, bucket: string): Promise<string[]> {
  const listed: { name: string; lastModified: string }[] = [];
  for await (const each of listNames(client, ledgerOf(bucket), CLAIMS)) listed.push(each);
  listed.sort((a, b) =>
    a.lastModified === b.lastModified ? (a.name < b.name ? -1 : 1) : a.lastModified < b.lastModified ? -1 : 1,
  );
  const there = await pMap(
    listed,
    async ({ name }) => {
      const { status } = await client.done({
        method: 'HEAD',
        path: objectPath(ledgerOf(bucket), name),
        headers: { 'x-newest': 'true' },
        expect: [404],
      });
      return status === 404 ? undefined : name;
    },
    { concurrency: 4 },
  );
  return there.flatMap((name) => name ?? []);
}

async function busy(client: SwiftClient, bucket: string, name: string | undefined): Promise<FenestraError> {
  let note: Note = { who: 'somebody', since: Date.now() };
  if (name !== undefined) {
    const { status, bytes } = await client.bytes({
      method: 'GET',
      path: objectPath(ledgerOf(bucket), name),
      expect: [404],
    });
    if (status !== 404) note = JSON.parse(bytes.toString()) as Note;
  }
  const when = (at: number): string => `${new Date(at).toISOString().slice(0, 19).replace('T', ' ')} UTC`;
  return new FenestraError('STORE_BUSY', {
    bucket,
    who: note.who,
    since: when(note.since),
    until: when(Date.now() + LIFE * 1000),
  });
}
