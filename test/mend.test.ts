/** What somebody changes in a store past Fenestra is named, put back by the command that is printed, and nothing else is. */
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { CheckJson } from '../src/report/json/check-json.js';
import type { PublishJson } from '../src/report/json/publish-json.js';
import { chance, SEED } from './helpers/chance.js';
import { cloudOf, type Cloud } from './helpers/cloud.js';
import { joinCluster, type Cluster } from './helpers/cluster.js';
import { faultsOf } from './helpers/store-faults.js';
import { FaultyWay } from './helpers/faulty-way.js';
import { fenestra, makeProject, PAGE, writeFiles } from './helpers/program.js';
import { describeWith } from './helpers/machine.js';

const BUCKET = 'mended-mill';
const RECORDS = `${BUCKET}.ledger`;
const NAMES = 'abcdefghijklmnop'.split('');
const pageOf = (name: string): string => PAGE.replace('<title>', `<title>${name} `);

const FAULTS = faultsOf(BUCKET);

describeWith(['Swift'], 'a store that others write to', () => {
  let cluster: Cluster;
  let cloud: Cloud;
  let token: { readonly account: string; readonly token: string };
  beforeAll(async () => {
    cluster = await joinCluster('mend');
    cloud = cloudOf(cluster);
    token = await cluster.token();
  });
  afterAll(() => cluster.stop());

  const ask = async (
    method: string,
    path: string,
    headers: object = {},
    body?: string,
  ): Promise<Response> => {
    const init = { method, headers: { 'x-auth-token': token.token, ...headers } };
    const answer = await fetch(`${token.account}${path}`, body === undefined ? init : { ...init, body });
    if (answer.status >= 400) throw new Error(`${method} ${path}: ${answer.status}`);
    return answer;
  };
  const project = (bucket: string, store = ''): string =>
    makeProject(
      {
        ...Object.fromEntries(NAMES.map((name) => [`site/${name}.html`, pageOf(name)])),
        'site/pictures/owl.png': Buffer.from('89504e470d0a1a0a', 'hex'),
      },
      cloud.config(bucket, '', store),
    );
  const findings = async (home: string): Promise<CheckJson['findings']> =>
    (JSON.parse((await cloud.run(home, 'check', '--json')).out) as CheckJson).findings;
  const byOthers = (all: CheckJson['findings']): CheckJson['findings'] =>
    all.filter(({ rule }) => /^(?:changed-by-others|store-setting-changed|foreign-object)$/.test(rule));
  /** What a store says of something that nobody may touch. */
  const stateOf = async (path: string): Promise<readonly (string | null)[]> => {
    const { headers } = await ask('HEAD', path, { 'x-newest': 'true' });
    // Copies of a container may have been made at different moments.
    const names = ['etag', 'x-container-read', 'content-type'];
    return [...names, ...(path.split('/').length > 2 ? ['x-timestamp'] : [])].map((name) =>
      headers.get(name),
    );
  };

  /** What the store says of the bucket, of its records and of each object, but for times and counts. */
  const everythingIn = async (): Promise<Record<string, readonly string[]>> => {
    const said: Record<string, readonly string[]> = {};
    const list = (await (await ask('GET', `/${BUCKET}?format=json`)).json()) as readonly { name: string }[];
    for (const path of [`/${BUCKET}`, `/${RECORDS}`, ...list.map(({ name }) => `/${BUCKET}/${name}`)]) {
      // A link is looked at, and not what it leads to.
      const query = path.split('/').length > 2 ? '?symlink=get' : '';
      const { headers } = await ask('HEAD', path + query, { 'x-newest': 'true' });
      said[path] = [...headers]
        .filter(
          ([name]) =>
            !/^(?:date|last-modified|x-timestamp|x-trans-id|x-openstack.*|x-container-(?:object-count|bytes-used)|connection|keep-alive)$/.test(
              name,
            ),
        )
        .map(([name, value]) => `${name}: ${value}`)
        // Listings that are switched off in words are as good as not switched on.
        .filter((line) => line !== 'x-container-meta-web-listings: false')
        .sort();
    }
    return said;
  };

  it('names each of many faults, and mends all by the command that it prints', async () => {
    const home = project(BUCKET);
    await cloud.json(home, 'publish', '--yes');
    await cloud.json(home, 'access', 'open', '--sure', BUCKET);
    expect(byOthers(await findings(home))).toEqual([]);
    await ask('PUT', '/elsewhere');
    await ask('POST', '/elsewhere', { 'x-container-read': '.r:*.example' });
    await ask('PUT', '/elsewhere/o.html', { 'content-type': 'text/html' }, pageOf('o'));
    await ask('PUT', `/${BUCKET}/theirs/notes.txt`, { 'content-type': 'text/plain' }, 'theirs');
    for (const [, method, path, headers, , body] of FAULTS) await ask(method, path, headers, body);
    const others = ['/elsewhere', '/elsewhere/o.html', `/${BUCKET}/theirs/notes.txt`, `/${BUCKET}/n.html`];
    const before = await Promise.all(others.map(stateOf));

    const found = byOthers(await findings(home));
    const missing = FAULTS.filter(
      ([, , , , named]) => !found.some(({ key, about }) => key === named || about?.startsWith(`${named} `)),
    ).map(([what]) => what);
    expect(missing).toEqual([]);
    const objects = FAULTS.filter(
      ([, , path]) => path.startsWith(`/${BUCKET}/`) && !path.includes('not-found'),
    );
    expect(found.filter(({ rule }) => rule === 'changed-by-others')).toHaveLength(objects.length);
    expect(found.filter(({ rule }) => rule === 'store-setting-changed')).toHaveLength(
      FAULTS.length - objects.length,
    );
    expect(found.filter(({ rule }) => rule === 'foreign-object').map(({ key }) => key)).toEqual([
      'theirs/notes.txt',
    ]);
    const cures = new Set(found.filter(({ rule }) => rule !== 'foreign-object').map(({ fix }) => fix));
    expect([...cures]).toEqual(['fenestra bucket mend']);
    // The same is said before anything is published.
    const preview = await cloud.json<PublishJson>(home, 'publish', '--dry-run');
    expect(preview.foreign).toHaveLength(objects.length + 1);
    expect(preview.storeSettings).toHaveLength(FAULTS.length - objects.length);
    expect((await cloud.run(home, 'publish', '--yes')).err).toContain(
      '`fenestra bucket mend` puts the release back',
    );

    // Edits that are not published have no part in it.
    writeFiles(home, { 'site/n.html': pageOf('edited') });
    const looked = await cloud.run(home, 'bucket', 'mend', '--dry-run');
    expect([looked.code, looked.out]).toEqual([0, expect.stringContaining('theirs/notes.txt')]);
    expect(looked.out).not.toContain('a-key-of-theirs');
    expect(byOthers(await findings(home))).toHaveLength(FAULTS.length + 1);
    const mended = await cloud.json<{ buckets: { release: number; lost: string[]; added: string[] }[] }>(
      home,
      ...['bucket', 'mend', '--yes'],
    );
    expect(mended.buckets).toMatchObject([{ release: 2, lost: [], added: ['theirs/notes.txt'] }]);

    writeFiles(home, { 'site/n.html': pageOf('n') });
    expect(byOthers(await findings(home)).map(({ rule, key }) => [rule, key])).toEqual([
      ['foreign-object', 'theirs/notes.txt'],
    ]);
    const checked = await cloud.json<CheckJson>(home, 'check', '--all');
    expect(checked).toMatchObject({ passed: true, probes: { failed: 0 } });
    expect(await Promise.all(others.map(stateOf))).toEqual(before);
    for (const [, , , , named] of FAULTS.filter(([, , , , key]) => key.endsWith('.html')))
      expect((await ask('HEAD', `/${BUCKET}/${named}`)).headers.get('x-delete-at')).toBe(null);
    expect((await cloud.run(home, 'bucket', 'mend')).out).toContain('Nothing to put back');
    // What is theirs goes when it is named, and only that.
    const [foreign] = byOthers(await findings(home));
    expect(foreign?.fix).toContain('publish --over-foreign theirs/notes.txt');
    await cloud.json(home, 'publish', '--yes', '--over-foreign', 'theirs/notes.txt');
    expect(byOthers(await findings(home))).toEqual([]);
  }, 300_000);

  it('puts back any faults in any order, by what the store itself says of everything in it', async () => {
    const home = project(BUCKET);
    const random = chance('mending');
    await cloud.run(home, 'publish', '--yes', '--over-foreign', '**');
    if ((await cloud.json<{ access: string }>(home, 'access', 'show')).access === 'closed')
      await cloud.json(home, 'access', 'open', '--sure', BUCKET);
    await ask('PUT', '/elsewhere');
    await ask('PUT', '/elsewhere/o.html', { 'content-type': 'text/html' }, pageOf('o'));
    const before = await everythingIn();
    for (let round = 1; round <= 3; round++) {
      const faults = FAULTS.filter(() => random() < 0.4)
        .map((fault) => [random(), fault] as const)
        .sort(([a], [b]) => a - b)
        .map(([, fault]) => fault);
      for (const [, method, path, headers, , body] of faults) await ask(method, path, headers, body);
      const { code, err } = await cloud.run(home, 'bucket', 'mend', '--yes');
      const planted = `FENESTRA_SEED=${SEED}, round ${round}: ${faults.map(([what]) => what).join(', ')}`;
      expect([planted, code, err]).toEqual([planted, 0, '']);
      expect([planted, await everythingIn()]).toEqual([planted, before]);
    }
  }, 180_000);

  it('is mended by the next one where it was cut short, at whatever request', async () => {
    const home = project(BUCKET);
    const random = chance('cutting a mend short');
    const before = await everythingIn();
    const way = new FaultyWay(cluster.port);
    const port = await way.listen();
    const cut = project(BUCKET);
    const config = join(cut, 'fenestra.yaml');
    writeFileSync(config, readFileSync(config, 'utf8').replace(/:\d+\/auth/, `:${port}/auth`));
    try {
      for (let round = 1; round <= 6; round++) {
        const faults = FAULTS.filter(() => random() < 0.5);
        const plant = async (): Promise<void> => {
          for (const [, method, path, headers, , body] of faults) await ask(method, path, headers, body);
        };
        // Once in whole, to know of how many requests it consists.
        await plant();
        way.refuseFrom(Infinity);
        const first = await cloud.run(cut, 'bucket', 'mend', '--yes');
        const whole = way.seen;
        expect([SEED, round, first.code, first.err]).toEqual([SEED, round, 0, '']);
        await plant();
        const at = Math.floor(whole * (0.1 + random() * 0.9));
        way.refuseFrom(at);
        const { code } = await cloud.run(cut, 'bucket', 'mend', '--yes');
        // Its lock would expire within a minute.
        const claims = await ask('GET', `/${RECORDS}?format=json&prefix=claims/`);
        for (const { name } of (await claims.json()) as readonly { readonly name: string }[])
          await ask('DELETE', `/${RECORDS}/${name}`);
        const { code: then, err } = await cloud.run(home, 'bucket', 'mend', '--yes');
        const planted = `FENESTRA_SEED=${SEED}, round ${round}, cut at ${at} of ${whole}: ${faults.map(([what]) => what).join(', ')}`;
        // Of the last requests some only give the lock back.
        if (at < whole * 0.8) expect([planted, code]).not.toEqual([planted, 0]);
        expect([planted, then, err]).toEqual([planted, 0, '']);
        expect([planted, await everythingIn()]).toEqual([planted, before]);
      }
    } finally {
      await way.close();
    }
  }, 240_000);

  it('is tried in a bucket of its own, and told as which host it answers', async () => {
    const home = project('never-made-mill');
    const tried = await cloud.json<{
      readonly bucket: string;
      readonly rows: readonly { readonly what: string; readonly can: boolean }[];
      readonly answersAs: readonly { readonly quirks: string; readonly alike: number; readonly of: number }[];
    }>(home, 'store', 'check');
    const [best] = tried.answersAs;
    expect([best?.quirks, best?.alike]).toEqual(['swift', best?.of]);
    expect(tried.rows.filter(({ can }) => !can).map(({ what }) => what)).toEqual([
      'make a release at one instant',
      'keep single keys from the public',
      'send visitors on from moved addresses',
    ]);
    const { out } = await cloud.run(home, 'bucket', 'list');
    expect(out).not.toContain(tried.bucket);
    const unknown = await cloud.run(home, 'store', 'check', 'cluod');
    expect([unknown.code, unknown.err]).toEqual([2, expect.stringContaining('Did you mean cloud?')]);
  }, 120_000);

  it('says what nobody can put back, and mends the rest', async () => {
    const reel = Buffer.alloc(9_500_000, 'frames ');
    const home = project('half-mended-mill', ', segments: 4 MB');
    writeFiles(home, { 'site/reel.bin': reel });
    await cloud.json(home, 'publish', '--yes');
    writeFiles(home, { 'site/a.html': pageOf('edited') });
    await ask('PUT', '/half-mended-mill/a.html', { 'content-type': 'text/html' }, 'theirs');
    await ask('DELETE', '/half-mended-mill/b.html');
    // What lies in segments keeps them.
    await ask('POST', '/half-mended-mill/reel.bin', { 'content-type': 'text/plain' });
    const { code, out } = await cloud.run(home, 'bucket', 'mend', '--yes');
    expect([code, out]).toEqual([
      1,
      expect.stringMatching(/nobody has the bytes of before.*a\.html.*--over-foreign/s),
    ]);
    expect(out).toContain('Put back: 2 objects');
    const { headers, bytes } = await ask('GET', '/half-mended-mill/reel.bin').then(async (answer) => ({
      headers: answer.headers,
      bytes: Buffer.from(await answer.arrayBuffer()),
    }));
    expect([headers.get('content-type'), bytes.equals(reel)]).toEqual(['application/octet-stream', true]);
    expect(byOthers(await findings(home)).map(({ key }) => key)).toEqual(['a.html']);
    await cloud.json(home, 'publish', '--yes', '--over-foreign');
    expect(byOthers(await findings(home))).toEqual([]);
  }, 120_000);

  it('never opens a bucket: readers from some pages alone are closed out, and a closed one stays closed', async () => {
    const home = project('closed-mill');
    await cloud.json(home, 'publish', '--yes');
    for (const readers of ['.r:.example', '*:*', '.rlistings']) {
      await ask('POST', '/closed-mill', { 'x-container-read': readers });
      const { out } = await cloud.run(home, 'bucket', 'mend', '--yes');
      expect(out).toContain(`${readers} → not set`);
      expect((await ask('HEAD', '/closed-mill')).headers.get('x-container-read')).toBe(null);
    }
  }, 120_000);
});

it('has nothing to mend where nobody else writes', async () => {
  const home = makeProject();
  await fenestra(home, 'publish', '--yes');
  const { code, err } = await fenestra(home, 'bucket', 'mend');
  expect([code, err]).toEqual([4, expect.stringContaining('Nobody but Fenestra changes test-mill')]);
});
