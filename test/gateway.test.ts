/** A second engine of the interface of OpenStack Swift, which serves buckets below a path and lacks some of what the first has. */
import { execFile } from 'node:child_process';
import { cpSync, readFileSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { promisify } from 'node:util';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { CheckJson } from '../src/report/json/check-json.js';
import type { PublishJson } from '../src/report/json/publish-json.js';
import { storeContract } from '../src/stores/contract/contract.js';
import { SwiftStore } from '../src/stores/swift/swift-store.js';
import { describeWith } from './helpers/machine.js';
import { faultsOf, type Fault } from './helpers/store-faults.js';
import { DEMO, fenestra, makeFolder, PAGE, type Outcome } from './helpers/program.js';

const SCRIPT = resolve('scripts/gateway-node');
const BUCKET = 'gateway-mill';
/** Its own, so that two runs on a machine do not meet. */
const PORT = 20_000 + (process.pid % 8000);
const USER = { user: 'mill$mill:swift', key: 'millsecret' };
const ENV = { FENESTRA_GATE_USER: USER.user, FENESTRA_GATE_KEY: USER.key };
const AUTH = `http://127.0.0.1:${PORT}/auth/v1.0`;
const ADDRESS = `http://127.0.0.1:${PORT}/swift/v1/AUTH_mill/${BUCKET}/`;

const script = (...words: string[]): Promise<unknown> => promisify(execFile)(SCRIPT, words);

describeWith(['an object gateway'], 'a second engine of the same interface', () => {
  const folder = makeFolder();
  beforeAll(async () => {
    await script('start', folder, String(PORT));
  }, 240_000);
  afterAll(() => script('stop', folder));

  const run = async (home: string, ...words: string[]): Promise<Outcome> => {
    Object.assign(process.env, ENV);
    try {
      return await fenestra(home, ...words);
    } finally {
      for (const name of Object.keys(ENV)) Reflect.deleteProperty(process.env, name);
    }
  };
  const json = async <T>(home: string, ...words: string[]): Promise<T> => {
    const { code, out, err } = await run(home, ...words, '--json');
    expect([code, err]).toEqual([0, '']);
    return JSON.parse(out) as T;
  };

  /** What somebody else does there with the same credentials. */
  const change = async (
    method: string,
    path: string,
    headers: object,
    body: string | null = null,
  ): Promise<Response> => {
    const token = await fetch(AUTH, { headers: { 'x-auth-user': USER.user, 'x-auth-key': USER.key } });
    const [at = '', key = ''] = ['x-storage-url', 'x-auth-token'].map(
      (name) => token.headers.get(name) ?? '',
    );
    return fetch(`${at}/${path}`, { method, headers: { 'x-auth-token': key, ...headers }, body });
  };

  it('passes the contract', async () => {
    const emptied = async (): Promise<SwiftStore> => {
      const store = new SwiftStore({
        store: 'gate',
        auth: new URL(AUTH),
        credentials: { kind: 'password', ...USER, userDomain: 'Default', projectDomain: 'Default' },
        region: undefined,
        interface: 'public',
      });
      for (const { name } of await store.buckets()) await store.remove(name);
      return store;
    };
    for (const { name, run: check } of await storeContract(emptied))
      await check().catch((error: unknown) => {
        throw new Error(`${name}: ${String(error)}`, { cause: error });
      });
    await (await emptied()).close();
  }, 600_000);

  it('takes the demo site to a check without a difference, and says what the site loses there', async () => {
    const home = makeFolder();
    cpSync(join(DEMO, 'site'), join(home, 'site'), { recursive: true });
    const write = (documents: string, quirks: string): void =>
      writeFileSync(
        join(home, 'fenestra.yaml'),
        `site: site
stores: { gate: { kind: swift, auth: "${AUTH}" } }
destinations: { live: { store: gate, bucket: ${BUCKET}, private: leave-out, address: "${ADDRESS}" } }
documents: ${documents}
quirks: ${quirks}
`,
      );
    write('{ index: index.html, error: not-found.html }', 'gateway');
    expect((await json<PublishJson>(home, 'publish', '--yes')).release).toBe(1);
    await json(home, 'access', 'open', '--sure', BUCKET);
    const check = async (): Promise<CheckJson> =>
      JSON.parse((await run(home, 'check', '--all', '--json')).out) as CheckJson;
    const first = await check();
    expect([first.probes.failed, first.probes.run > 500]).toEqual([0, true]);
    const rules = new Set(first.findings.map(({ rule }) => rule));
    // It lies below a path, and answers whoever comes back with an error while there is an error document.
    expect([...rules]).toEqual(expect.arrayContaining(['reference-outside', 'returning-visitors-refused']));
    expect((await run(home, 'trace', `${ADDRESS}index.html`)).out).toMatch(/^200$/m);
    const outside = await run(home, 'trace', `http://127.0.0.1:${PORT}/index.html`);
    expect([outside.code, outside.err]).toEqual([2, expect.stringContaining('lies below /swift/v1/')]);
    // A store says by itself as what kind of host it answers, and leaves nothing behind.
    const tried = await json<{
      readonly rows: readonly { readonly what: string; readonly can: boolean }[];
      readonly answersAs: readonly { readonly quirks: string; readonly alike: number; readonly of: number }[];
    }>(home, 'store', 'check', '--address', ADDRESS.replace(BUCKET, 'BUCKET'));
    const [best] = tried.answersAs;
    expect([best?.quirks, best?.alike]).toEqual(['gateway', best?.of]);
    expect(tried.rows.filter(({ can }) => !can).map(({ what }) => what)).toEqual(
      expect.arrayContaining([
        'answer folders with their index documents',
        'send on to the folder without its slash',
        'say that nothing has changed (304)',
      ]),
    );
    expect((await run(home, 'bucket', 'list')).out).not.toContain('fenestra-try');
    // What others change there is put back.
    await change('POST', `${BUCKET}/index.html`, { 'content-type': 'text/plain' });
    await change('DELETE', `${BUCKET}/robots.txt`, {});
    await change('POST', `${BUCKET}.ledger`, { 'x-container-read': '.r:*' });
    expect((await check()).findings.map(({ rule }) => rule)).toEqual(
      expect.arrayContaining(['changed-by-others', 'store-setting-changed']),
    );
    expect((await run(home, 'bucket', 'mend', '--yes')).out).toContain('Put back: 1 setting and 2 objects');
    expect((await check()).probes.failed).toBe(0);
    // Without an error document it has the answers of any other host.
    write(
      '{ index: index.html }',
      '{ indexDocuments: root, folderWithoutSlash: missing, folderWithoutIndex: missing }',
    );
    await json(home, 'publish', '--yes');
    const bare = await check();
    expect([
      bare.probes.failed,
      bare.findings.some(({ rule }) => rule === 'returning-visitors-refused'),
    ]).toEqual([0, false]);
  }, 300_000);

  it('has the pages of folders at their addresses, and large files in segments', async () => {
    const bucket = 'folders-mill';
    const address = ADDRESS.replace(BUCKET, bucket);
    const home = makeFolder({
      'site/index.html': PAGE.replace(
        '</html>',
        '<a href="visit/">Visit</a><a href="sound.bin">Sound</a></html>',
      ),
      'site/visit/index.html': PAGE.replace('</html>', '<a href="../">Home</a></html>'),
      'site/sound.bin': Buffer.alloc(2_500_000, 7),
      'fenestra.yaml': `site: site
stores: { gate: { kind: swift, auth: "${AUTH}", segments: 1 MB } }
destinations: { live: { store: gate, bucket: ${bucket}, private: leave-out, folders: pages, address: "${address}" } }
documents: { index: index.html }
quirks: gateway
sharedWith: "https://app.mill.example"
`,
    });
    expect((await json<PublishJson>(home, 'publish', '--yes')).release).toBe(1);
    await json(home, 'access', 'open', '--sure', bucket);
    const check = await json<CheckJson>(home, 'check', '--all');
    expect([check.passed, check.probes.failed]).toEqual([true, 0]);
    expect((await fetch(`${address}visit/`)).status).toBe(200);
    expect((await fetch(`${address}visit`)).status).toBe(404);
    // The listing has another sum for what lies in segments.
    expect((await run(home, 'publish', '--yes')).out).toContain('Nothing has changed');
    expect((await run(home, 'bucket', 'mend', '-n')).out).toContain('Nothing to put back');
    writeFileSync(join(home, 'site/sound.bin'), Buffer.alloc(1_500_000, 8));
    // What was shared is no more.
    const config = readFileSync(join(home, 'fenestra.yaml'), 'utf8');
    writeFileSync(join(home, 'fenestra.yaml'), config.replace(/^sharedWith.*$/m, ''));
    await json(home, 'publish', '--yes');
    expect((await json<CheckJson>(home, 'check', '--all')).probes.failed).toBe(0);
    await json(home, 'bucket', 'remove', '--with-contents', '--sure', bucket);
  }, 300_000);

  it('names each of many faults, and mends all by the command that it prints', async () => {
    const bucket = 'mended-mill';
    const home = makeFolder({
      ...Object.fromEntries(
        'abcdefghijklmnop'
          .split('')
          .map((name) => [`site/${name}.html`, PAGE.replace('Mill', `${name} Mill`)]),
      ),
      'site/pictures/owl.png': Buffer.from('89504e470d0a1a0a', 'hex'),
      'site/not-found.html': PAGE,
      'site/index.html': PAGE,
      'fenestra.yaml': `site: site
stores: { gate: { kind: swift, auth: "${AUTH}" } }
destinations: { live: { store: gate, bucket: ${bucket}, address: "${ADDRESS.replace(BUCKET, bucket)}" } }
documents: { index: index.html, error: not-found.html }
quirks: gateway
`,
    });
    await json(home, 'publish', '--yes');
    await json(home, 'access', 'open', '--sure', bucket);
    const byOthers = async (): Promise<CheckJson['findings']> =>
      (JSON.parse((await run(home, 'check', '--json')).out) as CheckJson).findings.filter(({ rule }) =>
        /^(?:changed-by-others|store-setting-changed|foreign-object)$/.test(rule),
      );
    expect(await byOthers()).toEqual([]);
    // This engine knows no links, keeps labels that a change leaves out, and tells nobody of a quota.
    const faults: readonly Fault[] = [
      ...faultsOf(bucket).filter(([what]) => !/link|labels that are gone|quota/.test(what)),
      [
        'bytes of a second page',
        'PUT',
        `/${bucket}/m.html`,
        { 'content-type': 'text/html' },
        'm.html',
        'theirs',
      ],
      ['a second removal', 'DELETE', `/${bucket}/o.html`, {}, 'o.html'],
    ];
    expect(faults.length).toBeGreaterThan(24);
    const refused: string[] = [];
    for (const [what, method, path, headers, , body] of faults)
      if ((await change(method, path.slice(1), headers, body)).status >= 300) refused.push(what);
    const found = await byOthers();
    const missing = faults
      .filter(
        ([, , , , named]) => !found.some(({ key, about }) => key === named || about?.startsWith(`${named} `)),
      )
      .map(([what]) => what);
    expect([refused, missing]).toEqual([[], []]);
    const cures = new Set(found.map(({ fix }) => fix));
    expect([...cures]).toEqual(['fenestra bucket mend']);
    await json(home, 'bucket', 'mend', '--yes');
    expect(await byOthers()).toEqual([]);
    expect((JSON.parse((await run(home, 'check', '--all', '--json')).out) as CheckJson).probes.failed).toBe(
      0,
    );
    await json(home, 'bucket', 'remove', '--with-contents', '--sure', bucket);
  }, 300_000);
});
