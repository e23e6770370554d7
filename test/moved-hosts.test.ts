import { describe, expect, it } from 'vitest';
import { ask } from './helpers/ask.js';
import { fenestra, fenestraJson, makeProject, serve, PAGE } from './helpers/program.js';

const CONFIG = `site: site
destinations: { here: { store: here, bucket: test-mill } }
domains: [www.wendlemill.example]
movedHosts: [wendlemill.example, mill.example]
`;

describe('hosts that have moved', () => {
  it('answer every address with 301 to the first domain, path and query kept, in serve and trace', async () => {
    const home = makeProject({ 'site/index.html': PAGE, 'site/visit/index.html': PAGE }, CONFIG);
    expect((await fenestra(home, 'publish', '--yes')).out).toContain('movedHosts');
    const server = await serve(home);
    try {
      for (const [host, path, location] of [
        ['wendlemill.example', '/visit/?day=2', 'http://www.wendlemill.example/visit/?day=2'],
        ['MILL.example.', '/no%2Fsuch//%C3%A9', 'http://www.wendlemill.example/no%2Fsuch//%C3%A9'],
        [`mill.example:${server.port}`, '/', `http://www.wendlemill.example:${server.port}/`],
      ] as const) {
        const answer = await ask(server.port, path, { host });
        expect([host, answer.status, answer.headers.location]).toEqual([host, 301, location]);
      }
      // The bucket is closed, which a visitor of the site's own name learns, and of another bucket's name nobody.
      expect((await ask(server.port, '/', { host: 'www.wendlemill.example' })).status).toBe(403);
      expect((await ask(server.port, '/', { host: 'wendle.example' })).status).toBe(404);
    } finally {
      await server.stop();
    }
    const traced = await fenestraJson<{
      status: number;
      headers: Record<string, string>;
      steps: { because: string }[];
    }>(home, 'trace', 'http://mill.example/visit/');
    expect([traced.status, traced.headers['Location']]).toEqual([
      301,
      'http://www.wendlemill.example/visit/',
    ]);
    expect(traced.steps.map(({ because }) => because)).toContain('mill.example is under movedHosts');
  });

  it('are asked for by a check, of whoever the site is asked of under its own name', async () => {
    const home = makeProject({ 'site/index.html': PAGE }, CONFIG);
    const plain = makeProject({ 'site/index.html': PAGE }, CONFIG.replace(/movedHosts.*\n/, ''));
    for (const each of [home, plain]) {
      await fenestra(each, 'publish', '--yes');
      await fenestra(each, 'access', 'open', '--sure', 'test-mill');
    }
    const checked = await fenestraJson<{ probes: { run: number; failed: number } }>(home, 'check');
    const without = await fenestraJson<{ probes: { run: number } }>(plain, 'check');
    expect(checked.probes).toMatchObject({ run: without.probes.run + 4, failed: 0 });
    // One that knows nothing of them is found out.
    const server = await serve(plain);
    try {
      const at = `http://test-mill.localhost:${server.port}/`;
      const found = await fenestra(home, 'check', '--at', at, '--json');
      const { failures } = JSON.parse(found.out) as { failures: { about: string; expected: string }[] };
      expect(failures.map(({ about }) => about)).toContain('moved host');
      expect([found.code, failures[0]?.expected]).toEqual([1, '301']);
    } finally {
      await server.stop();
    }
  });

  it('are refused where they lead nowhere', async () => {
    for (const [config, fault] of [
      [CONFIG.replace(/domains: .*\n/, ''), 'leads nowhere without `domains`'],
      [CONFIG.replace(', mill.example]', ', www.wendlemill.example]'), 'is under domains too'],
      [CONFIG.replace(', mill.example]', ', Mill]'), 'is a host name such as'],
    ] as const) {
      const refused = await fenestra(makeProject({ 'site/index.html': PAGE }, config), 'survey');
      expect([refused.code, refused.err]).toEqual([2, expect.stringContaining(fault)]);
    }
  });
});
