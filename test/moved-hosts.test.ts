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
