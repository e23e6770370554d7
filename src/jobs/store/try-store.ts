/** What a store can do, tried in a bucket of its own that is removed again. */
import { randomBytes } from 'node:crypto';
import { compareAnswer } from '../../core/check/compare-answer.js';
import { listProbes } from '../../core/check/list-probes.js';
import { sliceOf, type Observed, type Probe } from '../../core/check/probe.js';
import { NEW_BUCKET_SETTINGS, type BucketSettings, type BucketView } from '../../core/hosting/bucket-view.js';
import { lookUpIn } from '../../core/hosting/find-in.js';
import { QUIRK_SETS } from '../../core/hosting/quirks.js';
import { compareObjects } from '../../core/release/change-list.js';
import { planRows, type ReleaseRecord } from '../../core/release/release.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { objectsOf, sourceOf, type Site } from '../../stores/contract/kit.js';
import type { Store } from '../../stores/port.js';
import type { Progress } from '../progress.js';

export interface TriedRow {
  readonly what: string;
  /** Undefined where it could not be tried. */
  readonly can: boolean | undefined;
  /** What it means for publishing. */
  readonly means: string;
}

export interface TriedStore {
  readonly bucket: string;
  /** Where the public was asked; undefined for a store on this machine. */
  readonly address: string | undefined;
  readonly rows: readonly TriedRow[];
  /** Of each named set of quirks how many of the answers are as it says, the best first. */
  readonly answersAs: readonly { readonly quirks: string; readonly alike: number; readonly of: number }[];
}

const ORIGIN = 'https://app.mill.example';
const page = (text: string): string => `<!doctype html><html lang="en"><title>${text}</title><p>${text}`;
const labels = { 'Content-Type': 'text/html; charset=utf-8', 'Cache-Control': 'no-cache' };
const SITE: Site = {
  'index.html': { text: page('home'), headers: labels },
  'not-found.html': { text: page('not here'), headers: labels },
  'visit/index.html': { text: page('visit'), headers: labels },
  'data/all.bin': {
    text: 'x'.repeat(20_000),
    headers: {
      'Content-Type': 'application/octet-stream',
      'Cache-Control': 'max-age=3600',
      'Content-Disposition': 'attachment; filename="all.bin"',
      'Content-Language': 'en',
      Expires: 'Thu, 01 Jan 2037 00:00:00 GMT',
    },
  },
};
const SETTINGS: BucketSettings = {
  ...NEW_BUCKET_SETTINGS,
  documents: { index: 'index.html', error: 'not-found.html' },
  sharing: { origins: [ORIGIN], expose: [], keptFor: null },
};
/** Milliseconds that visitors may need to meet an opening. */
const PATIENCE_MS = 75_000;
const PAUSE_MS = 500;

/**
 * @param address of the bucket, with BUCKET for its name, where the store does not say it itself
 * @throws FenestraError whatever stops it before anything could be tried
 */
export async function tryStore(
  store: Store,
  address: string | undefined,
  progress: Progress,
): Promise<TriedStore> {
  const bucket = `fenestra-try-${randomBytes(4).toString('hex')}`;
  const rows: TriedRow[] = [];
  const note = (what: string, can: boolean | undefined, means: string): void =>
    void rows.push({ what, can, means });
  progress.step('look');
  await store.create(bucket, Date.now());
  note('sign in, and make a bucket', true, 'it can be published to');
  try {
    await tryReleases(store, bucket, note);
    const at = store.address
      ? (address?.replaceAll('BUCKET', bucket) ?? (await store.address(bucket)))
      : undefined;
    const answersAs = at === undefined ? [] : await tryAnswers(store, bucket, new URL(at), note);
    return { bucket, address: at, rows, answersAs };
  } finally {
    await store.remove(bucket);
  }
}

type Note = (what: string, can: boolean | undefined, means: string) => void;

async function tryReleases(store: Store, bucket: string, note: Note): Promise<void> {
  const { instant, history, policyByKey, moved = true, staging } = store.guarantees;
  await publishTo(store, bucket, SITE);
  await tryListing(store, bucket, note);
  await publishTo(store, bucket, { ...SITE, 'data/all.bin': { text: 'y'.repeat(20_000), headers: labels } });
  const kept = history && ((await store.releases?.(bucket)) ?? []).length === 2;
  note('keep earlier releases', kept, kept ? '`restore` takes one back' : 'nothing can be taken back');
  note(
    'make a release at one instant',
    instant,
    instant ? 'no visitor meets old beside new' : 'visitors may meet new objects beside old ones for a while',
  );
  note('be proved before it counts', staging, staging ? '`publish --prove` works' : '`--prove` is refused');
  note(
    'keep single keys from the public',
    policyByKey,
    policyByKey
      ? '`readable` holds by key'
      : '`private: leave-out` or `beside` says what becomes of such keys',
  );
  note(
    'send visitors on from moved addresses',
    moved,
    moved ? '`moved` is answered by redirects' : '`moved: pages` publishes small pages instead',
  );
}

async function tryListing(store: Store, bucket: string, note: Note): Promise<void> {
  const snapshot = await store.open(bucket);
  try {
    if (!snapshot.foreign) return;
    const foreign = await snapshot.foreign({ most: Infinity, unchanged: true });
    const lost = foreign.filter(({ change }) => change === 'relabelled').map(({ key }) => key);
    note(
      'list at once what was written',
      !foreign.some(({ change }) => change === 'removed' || change === 'added'),
      'each publish compares itself with the listing',
    );
    note(
      'keep every header that is published',
      lost.length === 0,
      lost.length === 0
        ? 'types and caching arrive as the config says'
        : `other ones came back for ${lost.join(', ')}`,
    );
    const drift = (await snapshot.settingsDrift?.()) ?? [];
    note(
      'keep its own settings',
      drift.length === 0,
      drift.length === 0
        ? 'documents and sharing are set'
        : `others came back: ${drift.map(({ what }) => what).join(', ')}`,
    );
  } finally {
    await snapshot.close();
  }
}

async function publishTo(store: Store, bucket: string, site: Site): Promise<ReleaseRecord> {
  const objects = objectsOf(site);
  const snapshot = await store.open(bucket);
  const { release: base, created, access } = snapshot.state;
  const { entries, totals } = await compareObjects(objects, snapshot.objects(), undefined, Date.now());
  await snapshot.close();
  const publication = await store.begin(bucket, {
    ...{ base, bucket: { created, access }, by: 'store check', note: 'Tried', totals, settings: SETTINGS },
    ...planRows(entries),
  });
  try {
    for (const object of objects) {
      const given = site[object.key] ?? '';
      if (entries.some(({ key, change }) => key === object.key && change !== 'relabel'))
        await publication.put(sourceOf(object, typeof given === 'string' ? given : given.text));
    }
    await publication.settle();
    return await publication.commit(Date.now());
  } finally {
    await publication.abandon();
  }
}

async function tryAnswers(
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
    wrong.status === 404 && wrong.length === page('not here').length,
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
