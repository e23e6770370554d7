/** What the public gets of a tried bucket: by what browsers ask, and beside each named set of quirks. */
import { compareAnswer } from '../../core/check/compare-answer.js';
import { listProbes } from '../../core/check/list-probes.js';
import { sliceOf, type Observed, type Probe } from '../../core/check/probe.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { BucketView } from '../../core/hosting/bucket-view.js';
import { lookUpIn } from '../../core/hosting/find-in.js';
import { QUIRK_SETS } from '../../core/hosting/quirks.js';
import type { StoredObject } from '../../core/site/site-object.js';
import type { Store } from '../../stores/port.js';
import { awaitSeen } from '../access/await-seen.js';
import type { Progress } from '../progress.js';
import { HOME, ORIGIN, SETTINGS, WRONG } from './tried-site.js';
import type { Note, TriedStore } from './tried-store.js';

export interface TriedBucket {
  readonly store: Store;
  readonly bucket: string;
  /** Where the public reads it. */
  readonly at: URL;
}

/** @throws FenestraError ENDPOINT_DEAD */
export async function tryAnswers(
  { store, bucket, at }: TriedBucket,
  note: Note,
  progress: Progress,
): Promise<TriedStore['answersAs']> {
  const { askEndpoint, createAgent, limitsFor, reasonOf } = await import('../../endpoint/index.js');
  const agent = createAgent({ connections: 4, timeoutMs: 10_000 });
  const asked = new Map<string, Promise<Observed>>();
  const ask = ({ request, about, expected }: Partial<Probe> & Pick<Probe, 'request'>): Promise<Observed> => {
    // Of a whole object the part that is asked for next is known too.
    const { body } = expected ?? {};
    const slice = about === 'object' && body?.kind === 'object' ? sliceOf(body.object.size) : undefined;
    const id = JSON.stringify([request, slice]);
    let answer = asked.get(id);
    if (!answer)
      asked.set(
        id,
        (answer = askEndpoint(at, request, agent, { limits: limitsFor(10_000, 1e6), slice }).catch(
          (error: unknown) => {
            throw new FenestraError('ENDPOINT_DEAD', { url: at.href, reason: reasonOf(error) }, error);
          },
        )),
      );
    return answer;
  };
  const get = (target: string, headers: Record<string, string> = {}, method = 'GET'): Promise<Observed> =>
    ask({ request: { method, target, headers } });
  try {
    const closed = await awaitSeen(at.href, 'closed', progress, undefined, 0);
    const refuses = closed.after !== undefined || (closed.status ?? 0) >= 400;
    if (closed.unreachable === undefined)
      note('refuse the public while it is closed', refuses, 'nobody sees what was not opened');
    await store.changeAccess(bucket, 'open');
    const seen = await awaitSeen(at.href, 'open', progress, HOME);
    const isOpen = seen.after !== undefined;
    note(
      'open to the public',
      isOpen,
      isOpen
        ? `visitors meet it after ${(seen.after ?? 0).toFixed(1)} s`
        : `${at.href} ${seen.unreachable === undefined ? 'still refuses' : `does not answer (${seen.unreachable})`}: name the public address with --address, with BUCKET for the name`,
    );
    if (!isOpen) return [];
    await noteAnswers(get, note);
    return await compareSets(store, bucket, at, ask);
  } finally {
    await agent.destroy();
  }
}

async function noteAnswers(
  get: (target: string, headers?: Record<string, string>, method?: string) => Promise<Observed>,
  note: Note,
): Promise<void> {
  const first = await get('/index.html');
  const status = async (target: string, headers?: Record<string, string>, method?: string): Promise<number> =>
    (await get(target, headers, method)).status;
  const either = (what: string, can: boolean, yes: string, no: string): void =>
    note(what, can, can ? yes : no);
  either(
    'answer the root with the index document',
    (await status('/')) === 200,
    'visitors have a start page',
    'visitors have to ask for index.html',
  );
  either(
    'answer folders with their index documents',
    (await status('/visit/')) === 200,
    'links to folders work',
    'write `folders: pages` into the destination, or link to `visit/index.html`',
  );
  either(
    'send on to the folder without its slash',
    [301, 302, 307, 308].includes(await status('/visit')),
    'links without the slash work',
    'write links to folders with the slash',
  );
  const wrong = await get('/no-such-page');
  either(
    'show the error document with 404',
    wrong.status === 404 && wrong.length === WRONG.length,
    'a wrong address looks like the site',
    'a wrong address looks like the host',
  );
  const tag = first.headers['etag'];
  either(
    'say that nothing has changed (304)',
    typeof tag === 'string' && (await status('/index.html', { 'if-none-match': tag })) === 304,
    'whoever comes back downloads nothing again',
    'whoever comes back downloads all again, or gets an error: leave `documents.error` out and try once more',
  );
  either(
    'send a part (206)',
    (await status('/data/all.bin', { range: 'bytes=0-9' })) === 206,
    'films can be sought in',
    'films cannot be sought in',
  );
  const preflight = await get(
    '/index.html',
    { origin: ORIGIN, 'access-control-request-method': 'GET' },
    'OPTIONS',
  );
  either(
    'be shared with other sites',
    preflight.headers['access-control-allow-origin'] === ORIGIN,
    '`sharedWith` holds for what browsers ask beforehand',
    '`sharedWith` does not reach browsers',
  );
  either(
    'take nothing from the public',
    (await status('/index.html', {}, 'DELETE')) >= 400,
    'only who signs in may write',
    'anybody may write: do not publish to it',
  );
}

async function compareSets(
  store: Store,
  bucket: string,
  at: URL,
  ask: (probe: Probe) => Promise<Observed>,
): Promise<TriedStore['answersAs']> {
  const snapshot = await store.open(bucket);
  const objects: StoredObject[] = [];
  for await (const object of snapshot.objects()) objects.push(object);
  await snapshot.close();
  const sets: { quirks: string; alike: number; of: number }[] = [];
  for (const [quirks, values] of Object.entries(QUIRK_SETS)) {
    const view: BucketView = {
      ...{ name: bucket, access: 'open', release: 2 },
      settings: { ...SETTINGS, quirks: values },
      ...lookUpIn(objects),
    };
    let [alike, of] = [0, 0];
    const compare = async (probe: Probe, first?: Observed): Promise<Observed> => {
      const observed = await ask(probe);
      of++;
      if (compareAnswer(probe, new URL(probe.request.target, at).href, observed, first).length === 0) alike++;
      return observed;
    };
    for (const probe of listProbes(view, objects)) {
      const observed = await compare(probe);
      if (observed.status === 200)
        for (const followUp of probe.followUps?.(observed) ?? []) await compare(followUp, observed);
    }
    sets.push({ quirks, alike, of });
  }
  return sets.sort((a, b) => b.alike / b.of - a.alike / a.of);
}
