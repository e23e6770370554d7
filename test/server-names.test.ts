/** Names of servers that lead in circles, to each other, or ever further: looked up as far as they lead, and no further. */
import { createSocket, type Socket } from 'node:dgram';
import { once } from 'node:events';
import * as packet from 'dns-packet';
import { afterEach, expect, it } from 'vitest';
import { openNames } from '../src/dns/index.js';
import { fenestra, makeProject, PAGE } from './helpers/program.js';
import { describeWith } from './helpers/machine.js';

type Records = packet.Answer[];
interface Said {
  readonly answers?: Records;
  readonly authorities?: Records;
  readonly additionals?: Records;
}
type Say = (name: string, type: string) => Said;

const ns = (zone: string, ...servers: string[]): Records =>
  servers.map((data) => ({ type: 'NS', name: zone, ttl: 60, data }));
const at = (name: string, address: string): packet.Answer => ({ type: 'A', name, ttl: 60, data: address });

const [ROOT, OWN] = ['127.53.60.1', '127.53.60.2'];
const open: Socket[] = [];
let asked = 0;

/** A server at an address of this machine. */
async function answer(address: string, say: Say): Promise<void> {
  const socket = createSocket('udp4');
  open.push(socket);
  socket.on('message', (bytes, { address: to, port }) => {
    asked++;
    const { id = 0, questions = [] } = packet.decode(bytes);
    const [question] = questions;
    if (!question) return;
    const said = say(question.name.toLowerCase(), question.type);
    const isOwn = said.authorities === undefined;
    const flags = isOwn ? packet.AUTHORITATIVE_ANSWER : 0;
    socket.send(packet.encode({ type: 'response', id, flags, questions, ...said }), port, to);
  });
  socket.bind(53, address);
  await once(socket, 'listening');
}

/** Delegates each zone to its servers; those that have an address get it as glue. */
const delegating =
  (zones: Readonly<Record<string, readonly string[]>>, glue: Readonly<Record<string, string>> = {}): Say =>
  (name) => {
    const [zone, servers] =
      Object.entries(zones).find(([each]) => name === each || name.endsWith(`.${each}`)) ?? [];
    if (zone === undefined || !servers) return { answers: [] };
    const known = Object.entries(glue).filter(([server]) => servers.includes(server));
    return {
      authorities: ns(zone, ...servers),
      additionals: known.map(([server, address]) => at(server, address)),
    };
  };

const configOf = (domain: string): string =>
  `site: site\ndestinations: { live: { store: here, bucket: mill, bucketHost: s.example, domains: [${domain}] } }\n`;

afterEach(() => {
  asked = 0;
  for (const socket of open.splice(0)) socket.close();
});

describeWith(['port 53'], 'names of servers', () => {
  const names = () => openNames({ root: { address: ROOT, port: 53 } });

  it.each([
    ['in the zone itself, without an address from its parent', { 'a.example': ['ns.a.example'] }],
    ['in each other’s zones', { 'a.example': ['ns.b.example'], 'b.example': ['ns.a.example'] }],
    [
      'in a circle of three',
      { 'a.example': ['ns.b.example'], 'b.example': ['ns.c.example'], 'c.example': ['ns.a.example'] },
    ],
  ])('%s lead nowhere', async (_, zones) => {
    await answer(ROOT, delegating(zones));
    const walker = await names();
    const all = await Promise.all(
      [...Object.keys(zones), 'www.a.example', 'ns.b.example'].map((name) => walker.look(name)),
    );
    const delegated = all.filter(({ zone }) => zone !== '');
    expect(delegated.length).toBeGreaterThan(1);
    for (const { servers, reached } of delegated) {
      expect(servers.map(({ outcome }) => outcome)).toEqual(['nowhere']);
      expect(reached).toMatchObject({ addresses: [], trouble: 'no-answer' });
    }
  });

  it('that nobody can find are told of, with what to do', async () => {
    await answer(ROOT, delegating({ 'a.example': ['ns.a.example'] }));
    const home = makeProject({ 'site/index.html': PAGE }, configOf('www.a.example'));
    const { out } = await fenestra(home, 'domain', 'check', '--names-only', '--root', ROOT, '--json');
    const { names: checked } = JSON.parse(out) as {
      names: { findings: { rule: string; message: string; fix: string }[] }[];
    };
    const silent = checked[0]?.findings.find(({ rule }) => rule === 'server-silent');
    expect(silent).toMatchObject({
      message: expect.stringContaining(
        'its name lies in that zone, and the parent gives none beside it',
      ) as string,
      fix: expect.stringContaining('have the registrar give the address') as string,
    });
  });

  it('that every object has are names like any others', async () => {
    const servers = ['__proto__', 'constructor', 'valueof'];
    const glue = Object.fromEntries(servers.map((server) => [server, OWN]));
    await answer(ROOT, delegating({ 'a.example': servers }, glue));
    await answer(OWN, (name, type) => ({
      answers:
        type === 'NS'
          ? ns(name, ...servers)
          : type === 'SOA'
            ? [{ type, name, data: { mname: 'constructor', rname: 'h.example', serial: 7 } }]
            : type === 'A'
              ? [at(name, OWN)]
              : [],
    }));
    const home = makeProject({ 'site/index.html': PAGE }, configOf('www.a.example'));
    for (const more of [[], ['--was', 'constructor,__proto__']]) {
      const words = ['domain', 'check', '--names-only', '--root', ROOT, '--json', ...more];
      const { code, err, out } = await fenestra(home, ...words);
      expect([code, err]).toEqual([1, '']);
      const { names: checked } = JSON.parse(out) as { names: { servers: { server: string }[] }[] };
      expect(checked[0]?.servers.map(({ server }) => server)).toEqual(servers);
    }
  });

  it('in each other’s zones are found where one of them leads on', async () => {
    await answer(
      ROOT,
      delegating(
        {
          'a.example': ['ns.b.example', 'ns.d.example'],
          'b.example': ['ns.a.example'],
          'd.example': ['ns.d.example'],
        },
        { 'ns.d.example': OWN },
      ),
    );
    await answer(OWN, (name, type) => ({
      answers:
        type === 'NS' && name === 'a.example'
          ? ns(name, 'ns.b.example', 'ns.d.example')
          : type === 'SOA'
            ? [{ type, name, data: { mname: 'ns.d.example', rname: 'h.example', serial: 7 } }]
            : type === 'A'
              ? [at(name, OWN)]
              : [],
    }));
    const walker = await names();
    const [facts, other] = await Promise.all([walker.look('www.a.example'), walker.look('www.b.example')]);
    expect(facts.servers.map(({ server, address, outcome }) => [server, address, outcome])).toEqual([
      ['ns.b.example', OWN, 'answers'],
      ['ns.d.example', OWN, 'answers'],
    ]);
    for (const { reached } of [facts, other]) expect(reached.addresses).toEqual([OWN]);
  });

  it('that lead ever further, or to very many places, are asked for a bounded number of times', async () => {
    const many = Array.from({ length: 8 }, (_, number) => `n${number}`);
    // Each server's name is below one more zone, whose servers are so too.
    await answer(ROOT, (name) => {
      const [, zone, label] = /(?:^|\.)((z[a-z0-9-]*)\.example)$/.exec(name) ?? [];
      if (zone === undefined || label === undefined) return { answers: [] };
      const servers = many.map((each) => `ns.z${each}-${label}.example`);
      return { authorities: ns(zone, ...servers) };
    });
    const walker = await names();
    const { reached } = await walker.look('www.z.example');
    expect(reached.addresses).toEqual([]);
    expect(walker.endedAfter()).toBe(300);
    // A datagram may be lost on a busy machine.
    expect(asked).toBeGreaterThan(150);
    expect(asked).toBeLessThanOrEqual(300);
    // It is said, and nothing else is said of what was not asked.
    const home = makeProject({ 'site/index.html': PAGE }, configOf('www.z.example'));
    const words = ['domain', 'check', '--names-only', '--root', ROOT, '--json'];
    const { out } = await fenestra(home, ...words);
    const { names: checked } = JSON.parse(out) as {
      names: { findings: { rule: string; message: string }[] }[];
    };
    expect(checked[0]?.findings).toEqual([
      expect.objectContaining({
        rule: 'look-up-ended',
        message: expect.stringContaining('ended after 300 questions') as string,
      }),
    ]);
    expect(asked).toBe(600);
  });

  it('that are silent are waited for once', async () => {
    await answer(ROOT, delegating({ 'a.example': ['ns.a.example'] }, { 'ns.a.example': OWN }));
    const silent = createSocket('udp4');
    open.push(silent);
    const heard: string[] = [];
    silent.on('message', (bytes) => heard.push(packet.decode(bytes).questions?.[0]?.name ?? ''));
    silent.bind(53, OWN);
    await once(silent, 'listening');
    const walker = await names();
    await walker.reach('www.a.example');
    const before = heard.length;
    for (const name of ['x.a.example', 'y.a.example'])
      expect(await walker.reach(name)).toMatchObject({ trouble: 'no-answer' });
    expect([before > 0, heard.length]).toEqual([true, before]);
  });
});
