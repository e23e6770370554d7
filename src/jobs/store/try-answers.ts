/** What the public gets of a tried bucket: by what browsers ask, and beside each named set of quirks. */
import { compareAnswer } from '../../core/check/compare-answer.js';
import { listProbes } from '../../core/check/list-probes.js';
import { sliceOf, type Observed, type Probe } from '../../core/check/probe.js';
import type { BucketView } from '../../core/hosting/bucket-view.js';
import { lookUpIn } from '../../core/hosting/find-in.js';
import { QUIRK_SETS } from '../../core/hosting/quirks.js';
import type { StoredObject } from '../../core/site/site-object.js';
import type { Store } from '../../stores/port.js';
import { ORIGIN, SETTINGS, WRONG } from './tried-site.js';
import type { Note, TriedStore } from './tried-store.js';

/** Milliseconds that visitors may need to meet an opening. */
const PATIENCE_MS = 75_000;
const PAUSE_MS = 500;

/** @param at where the public reads the bucket */
export async function tryAnswers(
  store: Store,
  bucket: string,
  at: URL,
  note: Note,
): Promise<TriedStore['answersAs']> {
  const { askEndpoint, createAgent, limitsFor } = await import('../../endpoint/index.js');
  const agent = createAgent({ connections: 4, timeoutMs: 10_000 });
  const asked = new Map<string, Promise<Observed>>();
  const ask = ({ request, about, expected }: Partial<Probe> & Pick<Probe, 'request'>): Promise<Observed> => {
    // Of a whole object the part that is asked for next is known too.
    const { body } = expected ?? {};
    const slice = about === 'object' && body?.kind === 'object' ? sliceOf(body.object.size) : undefined;
    const id = JSON.stringify([request, slice]);
    let answer = asked.get(id);
    if (!answer)
      asked.set(id, (answer = askEndpoint(at, request, agent, { limits: limitsFor(10_000, 1e6), slice })));
    return answer;
  };
  const get = (target: string, headers: Record<string, string> = {}, method = 'GET'): Promise<Observed> =>
    ask({ request: { method, target, headers } });
  try {
    const closed = await get('/index.html');
    note('refuse the public while it is closed', closed.status >= 400, 'nobody sees what was not opened');
    await store.changeAccess(bucket, 'open');
    asked.clear();
    const began = Date.now();
    let isOpen = false;
    while (!isOpen && Date.now() - began < PATIENCE_MS) {
      isOpen = (await get('/index.html')).status === 200;
      if (isOpen) break;
      asked.clear();
      await new Promise((done) => setTimeout(done, PAUSE_MS));
    }
    note(
      'open to the public',
      isOpen,
      isOpen
        ? `visitors meet it after ${((Date.now() - began) / 1000).toFixed(1)} s`
        : `${at.href} still refuses: name the public address with --address, with BUCKET for the name`,
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
    'link to `visit/index.html`, or those links are broken here',
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
