/** The built `fenestra domain` against real name servers that are taken through a move, and put at fault. */
import { createServer, type Server } from 'node:http';
import { execFile } from 'node:child_process';
import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { promisify } from 'node:util';
import { afterAll, afterEach, beforeAll, expect, it } from 'vitest';
import { askServer } from '../src/dns/ask-server.js';
import { fenestra, fenestraJson, makeProject, PAGE, runIn, serve } from './helpers/program.js';
import { NEW_PLACE, OLD_PLACE, RESOLVERS, ROOT, startNames, type NamesLab } from './helpers/names-lab.js';
import { describeWith, need } from './helpers/machine.js';

const SITE = 'www.wendlemill.example';
const HOST = 'wendle-mill-live.web.store.example';
const config = (more = ''): string => `site: site
destinations:
  live:
    store: here
    bucket: wendle-mill-live
    bucketHost: ${HOST}
    domains: [${SITE}]
${more}`;

interface NamesJson {
  readonly names: readonly {
    readonly name: string;
    readonly reaches: boolean;
    readonly until: string | null;
    readonly waitSeconds?: number;
    readonly findings: readonly { readonly rule: string; readonly message: string; readonly fix: string }[];
  }[];
  readonly waited?: number;
}
interface RecordsJson {
  readonly addresses: readonly string[];
  readonly zones: Readonly<Record<string, string>>;
  readonly changes: readonly { readonly change: string; readonly lines: readonly number[] }[];
  readonly plan: readonly { readonly at: string; readonly what: string }[];
}

const project = (more?: string): string => makeProject({ 'site/index.html': PAGE }, config(more));

async function checkJson(home: string, ...words: string[]): Promise<NamesJson> {
  const { out, err, code } = await fenestra(home, 'domain', 'check', '--json', '--root', ROOT, ...words);
  expect({ code: code <= 1, err }).toEqual({ code: true, err: '' });
  return JSON.parse(out) as NamesJson;
}

/** Names no name server: each rule once. */
const rulesOf = ({ names }: NamesJson): string[] => [
  ...new Set(names.flatMap(({ findings }) => findings.map(({ rule }) => rule))),
];

describeWith(['name servers'], 'real name servers', () => {
  let lab: NamesLab;
  const TTLS = { LONG: 6, LOW: 2, PNS: 4, CNS: 7, OCNS: 7, NEG: 3, STTL: 7, NTTL: 5 };
  beforeAll(async () => {
    lab = await startNames(TTLS);
  });
  afterAll(async () => lab.stop());

  let host: Server | undefined;
  afterEach(async () => {
    const open = host;
    host = undefined;
    if (open) await new Promise((done) => open.close(done));
  });

  it('are told apart at every stage of a move', async () => {
    const home = project('    nameServers: [ns1.newhost.example, ns2.newhost.example]\n');
    const seen: unknown[] = [];
    for (const stage of ['before', 'lowered', 'newzone', 'delegated', 'oldgone']) {
      await lab.move(stage);
      const checked = await checkJson(home, '--names-only');
      const [name] = checked.names;
      seen.push([stage, name?.reaches, name?.until !== null, rulesOf(checked)]);
      if (stage === 'newzone')
        expect(name?.findings[0]?.fix).toContain('they are ready, and answer with what the zone needs');
    }
    expect(seen).toEqual([
      ['before', false, false, ['delegation-elsewhere', 'record-elsewhere']],
      ['lowered', false, false, ['delegation-elsewhere', 'record-elsewhere']],
      ['newzone', false, false, ['delegation-elsewhere', 'record-elsewhere']],
      ['delegated', true, true, ['former-servers-old', 'change-under-way']],
      ['oldgone', true, true, ['former-servers-gone', 'change-under-way']],
    ]);
    expect((await fenestra(home, 'domain', 'check', '--root', ROOT, '--names-only', '--wait')).code).toBe(0);
    const done = await checkJson(home, '--names-only');
    expect([rulesOf(done), done.names[0]?.until]).toEqual([[], null]);
  });

  it.each([
    ['lame', ['server-lame']],
    ['unreachable', ['server-silent']],
    ['serials', ['serials-differ', 'records-differ', 'record-elsewhere']],
    ['parentsplit', ['parents-differ', 'records-differ', 'record-elsewhere']],
    ['nsmismatch', ['servers-listed-differently', 'server-silent']],
    ['glue', ['glue-differs', 'server-silent']],
    ['cnameloop', ['alias-loop']],
    ['wildcard', ['wildcard-answers']],
    ['cnameapex', ['zone-file-refused', 'server-lame']],
  ] as const)('at fault (%s) are named as such', async (stage, rules) => {
    const home = project('    movedHosts: [wendlemill.example]\n');
    writeFileSync(
      join(home, 'zone'),
      stage === 'cnameapex'
        ? `$ORIGIN wendlemill.example.\n@ 60 IN SOA ns1.newhost.example. h.example. 1 2 3 4 5\n@ 60 IN NS ns1.newhost.example.\n@ 60 IN CNAME ${HOST}.\n`
        : `$ORIGIN wendlemill.example.\n@ 60 IN SOA ns1.newhost.example. h.example. 1 2 3 4 5\n@ 60 IN NS ns1.newhost.example.\n`,
    );
    await lab.move(stage);
    try {
      const checked = await checkJson(home, '--names-only', '--zone-file', 'zone');
      const found = rulesOf(checked).filter((rule) => rule !== 'first-look');
      expect([stage, found.slice().sort()]).toEqual([stage, [...rules].sort()]);
      // Each says what it met, and what helps.
      for (const { findings } of checked.names)
        for (const { message, fix } of findings)
          expect([message.length > 20, fix.length > 20]).toEqual([true, true]);
    } finally {
      await lab.move('done');
    }
  });

  it('hold the old place no longer than the moment that is named, whichever resolver is asked', async () => {
    await lab.move('before');
    const home = project();
    await checkJson(home, '--names-only');
    const answers: { readonly resolver: string; readonly at: number; readonly isNew: boolean }[] = [];
    let isDone = false;
    const visitors = RESOLVERS.map(async (address) => {
      while (!isDone) {
        const asked = await askServer({ address, port: 53 }, { name: SITE, type: 'A', recursive: true });
        const places = 'message' in asked ? asked.message.answers.map(({ data }) => data) : [];
        if (places.includes(NEW_PLACE) || places.includes(OLD_PLACE))
          answers.push({ resolver: address, at: Date.now(), isNew: places.includes(NEW_PLACE) });
        await new Promise((done) => setTimeout(done, 100));
      }
    });
    // Each resolver holds what was before, fresh from just now.
    await expect
      .poll(() => new Set(answers.map(({ resolver }) => resolver)).size, { timeout: 10_000 })
      .toBe(2);
    await lab.move('old-lingers');
    const checked = await checkJson(home, '--names-only');
    const until = Date.parse(checked.names[0]?.until ?? '');
    expect([checked.names[0]?.waitSeconds, rulesOf(checked)]).toEqual([
      Math.max(TTLS.PNS, TTLS.CNS) + TTLS.LONG,
      ['former-servers-old', 'change-under-way'],
    ]);
    // Servers of before that answer keep those with them who ask them for their own names: it is not over before they end.
    const waiting = runIn(
      ...[
        home,
        process.execPath,
        resolve('dist/fenestra.js'),
        'domain',
        'check',
        '--root',
        ROOT,
        '--names-only',
        '--wait',
      ],
    );
    await new Promise((done) => setTimeout(done, until + 2000 - Date.now()));
    const gone = Date.now();
    await lab.move('oldgone');
    const waited = await waiting;
    const ended = Date.now();
    isDone = true;
    await Promise.all(visitors);
    expect([waited.code, waited.text]).toEqual([
      0,
      expect.stringMatching(
        /www\.wendlemill\.example: resolvers may hold the old answer for \d+ s more, until [\d:]+ UTC \(the larger of[^]*servers of before still lead to the old place[^]*(?:gave the old answer until just now|servers of before answer no more)/,
      ),
    ]);
    expect(ended - gone).toBeGreaterThanOrEqual(TTLS.LONG * 1000);
    for (const resolver of RESOLVERS) {
      const own = answers.filter((answer) => answer.resolver === resolver);
      const lastOld = Math.max(...own.filter(({ isNew }) => !isNew).map(({ at }) => at));
      expect([resolver, lastOld <= ended, own.at(-1)?.isNew]).toEqual([resolver, true, true]);
    }
  });

  it('need not be known before where the servers of then are named, and one who looks first is told so', async () => {
    await lab.move('delegated');
    const home = project();
    expect(rulesOf(await checkJson(home, '--names-only'))).toEqual(['first-look']);
    const checked = await checkJson(
      home,
      '--names-only',
      '--was',
      'ns1.parkhaus.example,ns2.parkhaus.example',
    );
    // The old zone had its TTLs lowered.
    expect([checked.names[0]?.waitSeconds, rulesOf(checked)]).toEqual([
      Math.max(TTLS.PNS, TTLS.LOW) + TTLS.LOW,
      ['former-servers-old', 'change-under-way'],
    ]);
  });

  it('lead to a host that is asked for the site under its name', async () => {
    await lab.move('done');
    const home = project();
    await fenestra(home, 'publish', '--yes');
    await fenestra(home, 'access', 'open', '--sure', 'wendle-mill-live');
    expect(rulesOf(await checkJson(home))).toContain('host-answers-otherwise');
    const asked: string[] = [];
    const listening = createServer((request, answer) => {
      asked.push(`${request.headers.host ?? ''}${request.url ?? ''}`);
      answer.writeHead(404).end();
    });
    host = listening;
    await new Promise<void>((done) => listening.listen(80, NEW_PLACE, done));
    const { findings = [] } = (await checkJson(home)).names[0] ?? {};
    expect(asked).toEqual([`${SITE}/`]);
    expect(findings.find(({ rule }) => rule === 'host-answers-otherwise')?.message).toMatch(
      /^http:\/\/www\.wendlemill\.example\/ answers 404, where 200 with ETag [^ ]+ is expected$/,
    );
  });

  it('tell what records are needed: as a table, as a zone file that servers take, and into one that there is', async () => {
    await lab.move('before');
    const home = project('    movedHosts: [wendlemill.example]\n    nameServers: [ns1.newhost.example]\n');
    const listed = await fenestraJson<RecordsJson>(home, 'domain', 'records', '--root', ROOT);
    expect(listed.addresses[0]).toBe(NEW_PLACE);
    const zone = (await fenestra(home, 'domain', 'records', '--as', 'zone', '--root', ROOT)).out;
    expect(zone).toContain(`www 3600 IN CNAME ${HOST}.`);
    expect(zone).toMatch(/^@ +3600 IN HTTPS 0 wendle-mill-live/m);
    const given =
      '$ORIGIN wendlemill.example.\n$TTL 60\n@ IN SOA ns1.newhost.example. h.example. (\n 1 ; serial\n 2 3 4 5 )\n NS ns1.newhost.example.\n; by hand\nwww A 127.53.3.1\nshop A 127.53.3.1\n';
    writeFileSync(join(home, 'zone'), given);
    const completed = await fenestraJson<RecordsJson>(
      home,
      'domain',
      'records',
      '--root',
      ROOT,
      '--zone-file',
      'zone',
    );
    expect(completed.changes.map(({ change, lines }) => [change, lines])).toEqual([
      ['replace', [8]],
      ['add', []],
      ['add', []],
    ]);
    const text = completed.zones['wendlemill.example'] ?? '';
    expect(text).toContain(
      `; by hand\n; was: www A 127.53.3.1\n${SITE}. 3600 IN CNAME ${HOST}. ; in place of it\nshop A 127.53.3.1\n`,
    );
    // The servers themselves read both.
    for (const [name, content] of [
      [
        'new',
        `${zone.replace('$TTL 3600', '$TTL 3600\n@ IN SOA ns1.newhost.example. h.example. 1 2 3 4 5\n@ IN NS ns1.newhost.example.')}\n`,
      ],
      ['completed', text],
    ] as const) {
      writeFileSync(join(home, name), content);
      const { stdout } = await promisify(execFile)('named-checkzone', [
        '-k',
        'fail',
        'wendlemill.example',
        join(home, name),
      ]);
      expect([name, stdout]).toEqual([name, expect.stringContaining('OK')]);
    }
  });

  it('plans a move by what was seen, with its dates', async () => {
    await lab.move('before');
    const home = project();
    await checkJson(home, '--names-only');
    const { plan } = await fenestraJson<RecordsJson>(
      home,
      'domain',
      'records',
      '--root',
      ROOT,
      '--moving-on',
      '2026-12-01T09:00',
    );
    expect(plan.map(({ at }) => at.slice(0, 19))).toEqual([
      '2026-12-01T08:59:53',
      '2026-12-01T08:59:54',
      '2026-12-01T09:00:00',
      '2026-12-01T09:00:12',
      '2026-12-01T09:00:13',
    ]);
    rmSync(join(home, '.fenestra'), { recursive: true });
    const blind = await fenestra(home, 'domain', 'records', '--root', ROOT, '--moving-on', '2026-12-01');
    expect(blind.out).toContain('a day is taken for NS records');
  });
});

it('a move is rehearsed: look-ups are answered with TTLs of the faster clock, and change over', async () => {
  const home = project();
  const server = await serve(
    home,
    '--names',
    '--names-port',
    '0',
    '--names-speed',
    '21600',
    '--names-report',
    'move.html',
  );
  try {
    const port = await expect
      .poll(() => /at 127\.0\.0\.1 port (\d+), 21600 times/.exec(server.log())?.[1])
      .toBeDefined()
      .then(() => Number(/ port (\d+),/.exec(server.log())?.[1]));
    await expect.poll(() => server.log()).toContain('computed for everybody who keeps to the TTLs: +1 d 1 h');
    const place = { address: '127.0.0.1', port };
    const look = async (name: string, type: 'A' | 'AAAA' = 'A'): Promise<unknown[]> => {
      const asked = await askServer(place, { name, type, recursive: true });
      if (!('message' in asked)) return ['silent'];
      const { rcode, answers } = asked.message;
      return [rcode, ...answers.map(({ data, ttl }) => `${data} ${ttl <= 1}`)];
    };
    expect(await look(SITE)).toEqual(['NOERROR', '127.0.0.2 true']);
    expect(await look(SITE, 'AAAA')).toEqual(['NOERROR']);
    expect(await look(`shop.${SITE}`)).toEqual(['NXDOMAIN']);
    expect(await look('other.example')).toEqual(['REFUSED']);
    await expect.poll(() => look(SITE), { timeout: 10_000 }).toEqual(['NOERROR', '127.0.0.1 true']);
    // Who asks it is told that all is well, then and not before.
    await expect
      .poll(
        async () => {
          const { code, out } = await fenestra(home, 'domain', 'check', '--resolver', `127.0.0.1:${port}`);
          return [code, out.split('\n')[0], out.includes('error')];
        },
        { timeout: 10_000 },
      )
      .toEqual([0, expect.stringContaining('The name leads to the bucket'), false]);
    expect(readFileSync(join(home, 'move.html'), 'utf8')).toContain('comes to the new place at');
  } finally {
    await server.stop();
  }
});

it('a network in which port 53 is closed is said, and the resolver of the system asked', async (context) => {
  need(context, 'namespaces');
  const home = project();
  const program = [
    process.execPath,
    resolve('dist/fenestra.js'),
    'domain',
    'check',
    '--json',
    '--names-only',
  ];
  const { stdout } = await promisify(execFile)('unshare', ['-rn', ...program], { cwd: home }).catch(
    (error: unknown) => error as { stdout: string },
  );
  const { names } = JSON.parse(stdout) as NamesJson;
  // Here nobody is there at all: that is what is said, and not that nothing is right.
  expect(names[0]?.findings).toMatchObject([
    {
      rule: 'nobody-answers',
      message: expect.stringContaining('port 53 is closed') as string,
      fix: expect.stringContaining('has a network') as string,
    },
  ]);
});

it('what cannot be a name, a server, a day or a zone is refused before anything is asked', async () => {
  const home = project();
  writeFileSync(join(home, 'empty'), '; nothing\n');
  for (const [words, said] of [
    [['check', 'shop.example'], 'is not a host name of the destination'],
    [['check', 'no name'], 'is no host name'],
    [['check', '--resolver', 'dns.example'], 'is no address of a name server'],
    [['check', '--resolver', '127.0.0.1', '--root', '127.0.0.1'], 'exclude each other'],
    [['records', '--moving-on', 'tomorrow'], 'is no day'],
    [['records', '--ttl', 'long'], 'is no duration'],
    [['records', '--zone-file', 'empty', '--root', '127.0.0.1:1'], 'it holds no record'],
    [['records', '--zone-file', 'none', '--root', '127.0.0.1:1'], 'there is no such file'],
  ] as const) {
    const refused = await fenestra(home, 'domain', ...words);
    expect([words, refused.code, refused.err]).toEqual([words, 2, expect.stringContaining(said)]);
  }
  const nameless = makeProject({ 'site/index.html': PAGE });
  expect((await fenestra(nameless, 'domain', 'records')).err).toContain('has no host names of its own');
});
