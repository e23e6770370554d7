import { hash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { afterAll, beforeAll, expect, it } from 'vitest';
import {
  NEW_BUCKET_SETTINGS,
  type BucketSettings,
  type BucketView,
} from '../src/core/hosting/bucket-view.js';
import { lookUpIn } from '../src/core/hosting/find-in.js';
import { QUIRK_SETS } from '../src/core/hosting/quirks.js';
import { packObjects } from '../src/core/site/object-columns.js';
import { compareKeys } from '../src/core/site/key.js';
import { hostRelease } from '../src/jobs/host/host-release.js';
import { startHostServer, type RunningServer } from '../src/server/host-server.js';
import { listObjects, objectOf, publish } from '../src/stores/contract/kit.js';
import { chance, SEED } from './helpers/chance.js';
import { joinCluster, type Cluster } from './helpers/cluster.js';
import { HOSTED, TAG } from './helpers/host-requests.js';
import { describeWith } from './helpers/machine.js';
import {
  asksForValidators,
  FRIENDS,
  makeWireRequests,
  sendWire,
  writeDate,
  type WireRequest,
} from './helpers/wire-requests.js';

const ERROR = 'not-found.html';
/** With whom each bucket is shared; undefined for nobody. */
const BUCKETS: Readonly<Record<WireRequest['bucket'], BucketSettings['sharing']>> = {
  alone: undefined,
  closed: undefined,
  shared: { origins: FRIENDS, expose: ['ETag'], keptFor: 600 },
  everyone: { origins: 'everyone', expose: [], keptFor: null },
};
/** What nobody may read, and what therefore is at our host alone. */
const HIDDEN = ['drafts/deep/a.html', 'drafts/index.html', 'drafts/plan.html', 'kept.txt'];

interface Host {
  readonly port: number;
  readonly name: string;
}

describeWith(['Swift'], 'the emulation under the quirks of a cluster', () => {
  let cluster: Cluster;
  const servers: RunningServer[] = [];
  beforeAll(async () => {
    cluster = await joinCluster('answers');
  });
  afterAll(async () => {
    for (const server of servers) await server.close(100);
    await cluster.stop();
  });

  /** The same release at both hosts. */
  async function hostBoth(
    kind: WireRequest['bucket'],
  ): Promise<{ readonly ours: Host; readonly theirs: Host }> {
    const bucket = `mill-${kind}`;
    const sharing = BUCKETS[kind];
    const settings: BucketSettings = {
      ...NEW_BUCKET_SETTINGS,
      readable: { keys: ['**'], except: ['drafts/**', 'kept.txt'] },
      documents: { index: 'index.html', error: ERROR },
      quirks: QUIRK_SETS['swift'] ?? {},
      ...(sharing ? { sharing } : {}),
    };
    const store = cluster.openStore();
    await store.create(bucket, Date.now());
    await publish(store, HOSTED, { bucket, settings });
    if (kind !== 'closed') await store.changeAccess(bucket, 'open');
    const snapshot = await store.open(bucket);
    const hidden = HIDDEN.map((key) => ({ ...objectOf(key, 'Not for anyone'), since: Date.UTC(2026, 0, 1) }));
    const objects = [...(await listObjects(snapshot)), ...hidden].sort((a, b) => compareKeys(a.key, b.key));
    const access = kind === 'closed' ? 'closed' : 'open';
    const view: BucketView = { ...snapshot.state, access, ...lookUpIn(objects) };
    const hosted = hostRelease(view, packObjects(objects), (object, range) => snapshot.read(object, range));
    const server = await startHostServer({ hosted, host: '127.0.0.1', port: 0 });
    servers.push(server);
    return {
      ours: { port: server.port, name: `${bucket}.localhost:${server.port}` },
      theirs: { port: cluster.port, name: cluster.host(bucket) },
    };
  }

  it('answers nine hundred requests as the cluster does', { timeout: 600_000 }, async () => {
    const hosts = new Map<string, { readonly ours: Host; readonly theirs: Host }>();
    for (const kind of Object.keys(BUCKETS) as WireRequest['bucket'][]) hosts.set(kind, await hostBoth(kind));
    const requests = makeWireRequests(900, chance('answers'));
    const unexplained: unknown[] = [];
    let alike = 0;
    for (const request of requests) {
      const { ours, theirs } = hosts.get(request.bucket) as { ours: Host; theirs: Host };
      const [a, b] = [await answerOf(ours, request), await answerOf(theirs, request)];
      const differences = Object.keys({ ...a, ...b }).filter((name) => a[name] !== b[name]);
      if (differences.length === 0) alike++;
      else if (!REMAINING.some(({ when }) => when(request, a)))
        unexplained.push([request, differences.map((name) => [name, a[name], b[name]])]);
    }
    expect({ seed: SEED, unexplained }).toEqual({ seed: SEED, unexplained: [] });
    expect(alike / requests.length).toBeGreaterThanOrEqual(0.97);
    // What remains stands in the docs, in these words.
    const docs = readFileSync('docs/comparison.md', 'utf8');
    for (const { says } of REMAINING) expect(docs).toContain(`\n| ${says} |`);
  });
});

/** What of an answer has to be the same; a host's own notice is its own. */
type Compared = Readonly<Record<string, string | number | boolean | undefined>>;

const validators = new Map<string, { readonly tag: string; readonly date: number }>();

function write(
  { name }: Host,
  { method, path, version, host }: WireRequest,
  fields: Record<string, string>,
): string {
  const named = {
    plain: name,
    absolute: name,
    none: undefined,
    upper: name.toUpperCase(),
    dot: name.replace(':', '.:'),
    portless: name.replace(/:\d+$/, ''),
    unknown: name.replace(/^[^.]+/, 'nobody'),
  }[host];
  const lines = Object.entries({
    ...(named === undefined ? {} : { Host: named }),
    ...fields,
    Connection: 'close',
  });
  const target = host === 'absolute' ? `http://${name}${path}` : path;
  return `${method} ${target} HTTP/${version}\r\n${lines.map(([field, value]) => `${field}: ${value}\r\n`).join('')}\r\n`;
}

async function answerOf(host: Host, request: WireRequest): Promise<Compared> {
  const { method, path, headers: wanted } = request;
  const known = `${host.name} ${path}`;
  if (Object.values(wanted).some(asksForValidators) && !validators.has(known)) {
    const plain = { ...request, method: 'GET' };
    const { headers } = await sendWire(host.port, write(host, plain, {}), 'GET');
    validators.set(known, {
      tag: (headers['etag'] ?? '').replaceAll('"', ''),
      date: Date.parse(headers['last-modified'] ?? '2026-11-30T00:00:00Z'),
    });
  }
  const { tag = '', date = 0 } = validators.get(known) ?? {};
  const fields = Object.fromEntries(
    Object.entries(wanted).map(([name, value]) => [
      name,
      writeDate(value, date) ?? value.replace(`W/${TAG}`, `W/"${tag}"`).replace(TAG, `"${tag}"`),
    ]),
  );
  const { status, headers: said, body } = await sendWire(host.port, write(host, request, fields), method);
  const isNotice = status >= 400 && !body.includes('No such page');
  const isObject = method !== 'OPTIONS' && status !== 301 && (status < 300 || !isNotice);
  const boundary = /boundary=(.*)$/.exec(said['content-type'] ?? '')?.[1] ?? '\0';
  return {
    status,
    location: said['location']?.replace(/^https?:\/\/[^/]+/, ''),
    ...(status === 304 || isObject
      ? {
          type: said['content-type']?.replace(boundary, ''),
          caching: said['cache-control'],
          expires: said['expires'],
          language: said['content-language'],
          disposition: said['content-disposition'],
          tag: said['etag'] === undefined ? 'none' : said['etag'].startsWith('"') ? 'quoted' : 'bare',
          modified: said['last-modified'] === undefined ? 'none' : 'there',
        }
      : {}),
    ...(isObject && status !== 304
      ? {
          range: said['content-range'],
          length: said['content-length'],
          body: hash('md5', body.toString('latin1').replaceAll(boundary, ''), 'hex'),
        }
      : {}),
    challenge: said['www-authenticate'] === undefined ? 'none' : 'there',
    ...sharingOf(request, said),
  };
}

/** What browsers read of it; hosts name more methods and headers than anyone asks for. */
function sharingOf(
  { bucket, method, headers }: WireRequest,
  said: Readonly<Record<string, string>>,
): Compared {
  const names = (name: string): string[] =>
    (said[name] ?? '')
      .toLowerCase()
      .split(/\s*,\s*/)
      .filter(Boolean)
      .sort();
  const isPreflight = headers['access-control-request-method'] !== undefined;
  return {
    origin: said['access-control-allow-origin'],
    ...(isPreflight
      ? {
          mayRead: names('access-control-allow-methods').includes('get'),
          mayAsk: names('access-control-allow-headers').join(),
          keptFor: said['access-control-max-age'],
        }
      : { allowed: names('allow').includes('get') }),
    ...(method === 'OPTIONS' ? {} : { varies: names('vary').join() }),
    ...(bucket === 'shared' && !isPreflight
      ? { exposed: names('access-control-expose-headers').includes('etag') }
      : {}),
  };
}

/** What the emulation does not do as the cluster, with the words of docs/comparison.md. */
const REMAINING: readonly { readonly says: string; when(request: WireRequest, ours: Compared): boolean }[] = [
  { says: 'a request of HTTP/1.0 without a host name', when: ({ host }) => host === 'none' },
  { says: 'a bucket that is not there', when: ({ host }) => host === 'unknown' },
  {
    says: 'an address with letters that are not percent-encoded',
    when: ({ path }, { status }) => /[^\0-~]/.test(path) && status === 400,
  },
  {
    says: 'COPY and POST to the root',
    when: ({ method, path }) => ['COPY', 'POST'].includes(method) && path === '/',
  },
];
