import { cpSync, readdirSync, readFileSync, renameSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { CheckJson } from '../src/report/json/check-json.js';
import type { PublishJson } from '../src/report/json/publish-json.js';
import { ask } from './helpers/ask.js';
import { cloudOf } from './helpers/cloud.js';
import { joinCluster, type Cluster } from './helpers/cluster.js';
import { FaultyWay } from './helpers/faulty-way.js';
import { DEMO, fenestra, makeFolder, makeProject, type Outcome, writeFiles } from './helpers/program.js';
import { describeWith } from './helpers/machine.js';

const BUCKET = 'wendle-mill-live';
const PNG = Buffer.from('89504e470d0a1a0a', 'hex');

describeWith(['Swift'], 'a real object store of three nodes', () => {
  let cluster: Cluster;
  beforeAll(async () => {
    cluster = await joinCluster('site');
  });
  afterAll(() => cluster.stop());

  const withCloud = (home: string, ...words: string[]): Promise<Outcome> =>
    cloudOf(cluster).run(home, ...words);
  const cloudJson = <T>(home: string, ...words: string[]): Promise<T> =>
    cloudOf(cluster).json<T>(home, ...words);
  const config = (more = '', store = ''): string => cloudOf(cluster).config(BUCKET, more, store);

  it('takes the demo site from the first publish to a checked live site, and back', async () => {
    const home = makeFolder();
    cpSync(join(DEMO, 'site'), join(home, 'site'), { recursive: true });
    writeFileSync(
      join(home, 'fenestra.yaml'),
      config(
        'readable: { keys: ["**"], except: ["drafts/**"] }\nversioned: ["styles/**", "assets/**"]\n',
        ', switch: folders',
      ),
    );
    const outputs: string[] = [];
    const refused = await withCloud(home, 'publish', '--yes');
    expect([refused.code, refused.err]).toEqual([4, expect.stringContaining('`private: leave-out`')]);
    writeFileSync(
      join(home, 'fenestra.yaml'),
      `${readFileSync(join(home, 'fenestra.yaml'), 'utf8')}private: leave-out\n`,
    );
    const missing = await fenestra(home, 'publish', '--yes');
    expect([missing.code, missing.err]).toEqual([2, expect.stringContaining('set FENESTRA_CLOUD_USER')]);
    const first = await cloudJson<PublishJson>(home, 'publish', '--yes');
    expect([first.release, first.withheld.length]).toEqual([1, 2]);
    outputs.push(JSON.stringify(first));
    const host = cluster.host(BUCKET);
    expect((await ask(cluster.port, '/', { host })).status).toBe(401);
    await withCloud(home, 'access', 'open', '--sure', BUCKET);
    const checked = await cloudJson<CheckJson>(home, 'check', '--at', `http://${host}/`);
    expect(checked).toMatchObject({ passed: true, probes: { failed: 0 } });
    expect(checked.probes.run).toBeGreaterThan(250);
    // Nobody can list it, and what nobody may read was never sent.
    for (const path of ['/?format=json', '/?prefix=', '/'])
      expect((await ask(cluster.port, path, { host })).body.toString()).not.toContain('"hash"');
    expect((await ask(cluster.port, '/drafts/winter-costs.csv', { host })).status).toBe(404);
    expect((await ask(cluster.port, '/no/such/page', { host })).body.toString()).toContain('No such page');

    const again = await cloudJson<PublishJson>(home, 'publish', '--yes');
    expect([again.release, again.changes]).toEqual([1, []]);
    // A release that is looked at first lies where nobody finds it, and leaves nothing behind when it is refused.
    const hidden = async (): Promise<string[]> => {
      const { token, account } = await cluster.token();
      const listed = await fetch(`${account}/${BUCKET}.ledger?prefix=bodies/`, {
        headers: { 'x-auth-token': token },
      });
      return (await listed.text()).split('\n').filter((name) => name !== '');
    };
    const page = readFileSync(join(home, 'site/index.html'), 'utf8');
    writeFiles(home, { 'site/index.html': page.replace('</main>', '<a href="/gone/">gone</a></main>') });
    const broken = await withCloud(home, 'publish', '--yes', '--prove');
    expect([broken.code, broken.out]).toEqual([1, expect.stringContaining('/gone/')]);
    expect((await ask(cluster.port, '/', { host })).body.toString()).not.toContain('/gone/');
    expect(await hidden()).toEqual([]);
    writeFiles(home, { 'site/index.html': page.replace('</main>', '<a href="/visit/">visit</a></main>') });
    expect((await withCloud(home, 'publish', '--yes', '--prove')).code).toBe(0);
    expect((await ask(cluster.port, '/', { host })).body.toString()).toContain('>visit</a></main>');
    // What the release before needs, and nothing else.
    expect(await hidden()).toHaveLength(1);
    writeFiles(home, { 'site/index.html': page });
    expect((await withCloud(home, 'publish', '--yes')).code).toBe(0);
    writeFiles(home, { 'site/styles/mill.css': 'h1 { color: teal }' });
    const second = await cloudJson<PublishJson>(home, 'publish', '--yes');
    expect(second.waiting.map(({ plainKey }) => plainKey)).toEqual(['styles/mill.css']);
    const restored = await cloudJson<PublishJson>(home, 'restore', '1', '--yes');
    expect([restored.release, restored.totals.toSend]).toEqual([5, 0]);
    const back = await cloudJson<CheckJson>(home, 'check', '--at', `http://${host}/`);
    expect(back).toMatchObject({ probes: { failed: 0 } });
    outputs.push((await withCloud(home, 'history')).out, (await withCloud(home, 'bucket', 'show')).out);
    expect(outputs.at(-2)).toContain('release 1 again');

    // Nothing that was written or said holds the secret.
    const exported = await withCloud(home, 'bucket', 'export', 'copy', '--release', '1');
    outputs.push(exported.out);
    const written = readdirSync(home, { recursive: true, encoding: 'utf8' })
      .map((name) => join(home, name))
      .filter((path) => statSync(path).isFile());
    for (const path of written)
      expect([path, readFileSync(path).includes(cluster.key)]).toEqual([path, false]);
    for (const output of outputs) expect(output.includes(cluster.key)).toBe(false);
    expect((await withCloud(home, 'bucket', 'remove', '--with-contents', '--sure', BUCKET)).code).toBe(0);
    expect((await ask(cluster.port, '/', { host })).status).toBe(401);
  }, 300_000);

  it('sends the bytes of what has two names once', async () => {
    const bucket = 'mill-twice';
    const way = new FaultyWay(cluster.port);
    const port = await way.listen();
    const PICTURES = ['one', 'two', 'three'].map((word) => Buffer.concat([PNG, Buffer.alloc(300_000, word)]));
    const home = makeProject(
      {
        'site/index.html': `<!doctype html><title>Mill</title>${PICTURES.map((_, at) => `<img src="a/${at}.png">`).join('')}`,
        'site/not-found.html': '<!doctype html><title>No</title><p>No <a href="/">Home</a>',
        ...Object.fromEntries(PICTURES.map((bytes, at) => [`site/a/${at}.png`, bytes])),
      },
      config('versioned: ["a/**"]\n')
        .replaceAll(BUCKET, bucket)
        .replace(cluster.auth, cluster.auth.replace(String(cluster.port), String(port))),
    );
    const timesSent = (): number[] =>
      PICTURES.map((bytes) => way.sent.filter(({ body }) => body.includes(bytes.subarray(8, 5000))).length);
    try {
      const first = await cloudJson<PublishJson>(home, 'publish', '--yes');
      expect(timesSent()).toEqual([1, 1, 1]);
      const names = first.changes.map(({ key }) => key).filter((key) => key.startsWith('a/'));
      expect(names).toHaveLength(6);
      await withCloud(home, 'access', 'open', '--sure', bucket);
      for (const key of names) {
        const { status, body } = await ask(cluster.port, `/${key}`, { host: cluster.host(bucket) });
        const [at = ''] = /\d/.exec(key) ?? [];
        expect([key, status, body.equals(PICTURES[Number(at)] ?? body.subarray(1))]).toEqual([
          key,
          200,
          true,
        ]);
      }
      // What there is under one name is not sent again for another one.
      writeFileSync(
        join(home, 'fenestra.yaml'),
        readFileSync(join(home, 'fenestra.yaml'), 'utf8').replace('versioned', 'keepPlain: false\nversioned'),
      );
      await cloudJson<PublishJson>(home, 'publish', '--yes');
      writeFileSync(
        join(home, 'fenestra.yaml'),
        readFileSync(join(home, 'fenestra.yaml'), 'utf8').replace('keepPlain: false\n', ''),
      );
      await cloudJson<PublishJson>(home, 'publish', '--yes');
      expect(timesSent()).toEqual([1, 1, 1]);
      // Nor is what has another name now, also where it is looked at first.
      renameSync(join(home, 'site/a/2.png'), join(home, 'site/a/other.png'));
      const page = readFileSync(join(home, 'site/index.html'), 'utf8');
      writeFiles(home, { 'site/index.html': page.replace('a/2.png', 'a/other.png') });
      await cloudJson<PublishJson>(home, 'publish', '--yes', '--prove');
      expect(timesSent()).toEqual([1, 1, 1]);
      const { body } = await ask(cluster.port, '/a/other.png', { host: cluster.host(bucket) });
      expect(body.equals(PICTURES[2] ?? Buffer.alloc(0))).toBe(true);
    } finally {
      await withCloud(home, 'bucket', 'remove', '--with-contents', '--sure', bucket);
      await way.close();
    }
  });

  it('does instead what the config says of what the store cannot', async () => {
    const bucket = 'mill-instead';
    const site = {
      'site/index.html': '<!doctype html><title>Mill</title><p>Mill',
      'site/visit/index.html': '<!doctype html><title>Visit</title><p>Visit',
      'site/not-found.html': '<!doctype html><title>No</title><p>No',
      'site/drafts/costs.csv': 'a,b\n',
      'site/reel.bin': Buffer.alloc(9_500_000, 'frame '),
    };
    const more = `readable: { keys: ["**"], except: ["drafts/**"] }
moved: { permanently: { /opening-times: /visit/ }, temporarily: { /old/: "https://tickets.wendlemill.example/" } }
`;
    const home = makeProject(
      site,
      config(more)
        .replaceAll(BUCKET, bucket)
        .replace('auth:', 'segments: 1 MB, auth:')
        .replace('address:', 'private: beside, moved: pages, address:'),
    );
    const host = cluster.host(bucket);
    const get = (path: string, of = host) => ask(cluster.port, path, { host: of });
    const first = await cloudJson<PublishJson>(home, 'publish', '--yes');
    expect([first.beside?.bucket, first.beside?.changes.map(({ key }) => key)]).toEqual([
      'mill-instead-private',
      ['drafts/costs.csv'],
    ]);
    const opened = await cloudJson<{ seenAfter: number | null }>(home, 'access', 'open', '--sure', bucket);
    expect(opened.seenAfter).toBeLessThan(60);
    const page = await get('/opening-times');
    expect([page.status, page.headers['content-type'], page.body.toString()]).toEqual([
      200,
      'text/html; charset=utf-8',
      expect.stringContaining('<a href="/visit/">/visit/</a>'),
    ]);
    expect((await get('/old/')).body.toString()).toContain('url=https://tickets.wendlemill.example/');
    expect((await get('/drafts/costs.csv')).status).toBe(404);
    expect((await get('/drafts/costs.csv', cluster.host(`${bucket}-private`))).status).toBe(401);
    expect((await get('/reel.bin')).body.equals(site['site/reel.bin'])).toBe(true);
    const checked = await cloudJson<CheckJson>(home, 'check', '--at', `http://${host}/`);
    expect(checked).toMatchObject({ probes: { failed: 0 } });
    expect((await withCloud(home, 'trace', '/opening-times')).out).toMatch(/^200$/m);
    // What is below a folder is more than any page can stand for.
    writeFileSync(
      join(home, 'below.yaml'),
      readFileSync(join(home, 'fenestra.yaml'), 'utf8')
        .replace('/old/:', '"/old/*":')
        .replace('.example/"', '.example/*"'),
    );
    const below = await withCloud(home, 'publish', '--yes', '--config', 'below.yaml');
    expect([below.code, below.err]).toEqual([4, expect.stringContaining('/old/*')]);
    // Another film is other segments; those of the one before go with the release that needed them.
    writeFiles(home, {
      'site/reel.bin': Buffer.alloc(9_500_000, 'frames '),
      'site/drafts/costs.csv': 'a,c\n',
    });
    await cloudJson(home, 'publish', '--yes');
    const restored = await cloudJson<PublishJson>(home, 'restore', '1', '--yes');
    expect([restored.release, restored.totals.toSend]).toEqual([3, 0]);
    expect((await get('/reel.bin')).body.equals(site['site/reel.bin'])).toBe(true);
    expect((await withCloud(home, 'access', 'close')).out).toContain('answers 401 to everyone');
    for (const name of [bucket, `${bucket}-private`])
      await withCloud(home, 'bucket', 'remove', name, '--with-contents', '--sure', name);
  }, 300_000);

  it('shows what somebody else has done to a bucket, and overwrites it only when asked', async () => {
    const bucket = 'mill-of-others';
    const pages = Object.fromEntries(
      ['a', 'b', 'c', 'd'].map((name) => [`site/${name}.html`, `<!doctype html><title>${name}</title>`]),
    );
    const home = makeProject(pages, config().replaceAll(BUCKET, bucket));
    const token = await cluster.token();
    const change = (method: string, key: string, body = '', type = 'text/html') =>
      fetch(`${token.account}/${bucket}${key === '' ? '' : `/${key}`}`, {
        method,
        headers: { 'x-auth-token': token.token, 'content-type': type },
        ...(method === 'PUT' ? { body } : {}),
      });
    // A bucket that somebody else has made is adopted: what is the same in it stays, what is other is shown.
    await change('PUT', '');
    await change('PUT', 'a.html', pages['site/a.html'], 'text/html; charset=utf-8');
    await change('PUT', 'b.html', 'theirs');
    await change('PUT', 'z.txt', 'theirs');
    const looked = await cloudJson<PublishJson>(home, 'publish', '--dry-run');
    expect(looked.foreign?.map(({ key, overwritten }) => [key, overwritten])).toEqual([
      ['a.html', true],
      ['b.html', true],
      ['z.txt', false],
    ]);
    expect(looked.changes.map(({ key, change: kind }) => [key, kind]).slice(0, 2)).toEqual([
      ['a.html', 'relabel'],
      ['b.html', 'replace'],
    ]);
    const refused = await withCloud(home, 'publish', '--yes');
    expect([refused.code, refused.err]).toEqual([
      4,
      expect.stringMatching(/changed by somebody else.*--over-foreign/s),
    ]);
    expect((await cloudJson<PublishJson>(home, 'publish', '--yes', '--over-foreign')).release).toBe(1);
    expect((await change('GET', 'z.txt')).status).toBe(200);
    // What is not the site's goes only when it is named.
    await cloudJson(home, 'publish', '--yes', '--over-foreign', 'y*');
    expect((await change('GET', 'z.txt')).status).toBe(200);
    await cloudJson(home, 'publish', '--yes', '--over-foreign', 'z.*');
    expect((await change('GET', 'z.txt')).status).toBe(404);
    const again = await cloudJson<PublishJson>(home, 'publish', '--yes');
    expect([again.changes, again.foreign]).toEqual([[], undefined]);
    // Past Fenestra one is replaced, one goes, one comes, and one is put as the site has it by now.
    await change('PUT', 'a.html', 'theirs');
    await change('DELETE', 'b.html');
    await change('PUT', 'new.html', 'theirs');
    await change('PUT', 'c.html', '<p>the same', 'text/html; charset=utf-8');
    const other = await withCloud(home, 'publish', '--yes');
    expect([other.code, other.err]).toEqual([
      4,
      expect.stringContaining('a.html (replaced), b.html (removed)'),
    ]);
    const over = await cloudJson<PublishJson>(
      home,
      'publish',
      '--yes',
      '--over-foreign',
      '--matching',
      '[ab].html',
    );
    expect(over.changes.map(({ key, change: kind }) => [key, kind])).toEqual([
      ['a.html', 'replace'],
      ['b.html', 'add'],
    ]);
    writeFiles(home, { 'site/d.html': '<!doctype html><title>d</title><p>more' });
    const part = await cloudJson<PublishJson>(home, 'publish', '--yes', '--matching', 'd.html');
    expect(part.changes.map(({ key }) => key)).toEqual(['d.html']);
    expect(await (await change('GET', 'new.html')).text()).toBe('theirs');
    // Only what was rehearsed is published, where that is asked for.
    writeFileSync(
      join(home, 'fenestra.yaml'),
      readFileSync(join(home, 'fenestra.yaml'), 'utf8').replace(
        'destinations: {',
        'destinations: { rehearsal: { store: here, bucket: rehearsed },',
      ),
    );
    expect((await fenestra(home, 'publish', '--yes')).code).toBe(0);
    const like = ['publish', '--to', 'live', '--like', 'rehearsal', '--over-foreign', '--yes'];
    expect((await withCloud(home, ...like)).out).toContain('As rehearsed: release 1 of rehearsed.');
    writeFiles(home, { 'site/d.html': '<!doctype html><title>d</title><p>not rehearsed' });
    const unlike = await withCloud(home, ...like);
    expect([unlike.code, unlike.err]).toEqual([
      4,
      expect.stringMatching(/not what was rehearsed.*d\.html \(replace\)/s),
    ]);
    await withCloud(home, 'bucket', 'remove', '--to', 'live', '--with-contents', '--sure', bucket);
  }, 300_000);
});
