/** One path through the program: from a folder to a checked site, and back. */
import { expect, it } from 'vitest';
import { fenestra, makeProject, serve, writeFiles } from './helpers/program.js';
import { ask } from './helpers/ask.js';

it('a site is published, opened, asked for, changed, checked and restored', async () => {
  const home = makeProject({ 'site/a.css': 'p { color: teal }' });
  expect((await fenestra(home, 'publish', '--yes')).out).toContain('Published release 1');
  expect((await fenestra(home, 'access', 'open', '--sure', 'test-mill')).code).toBe(0);
  const server = await serve(home);
  try {
    const host = 'test-mill.localhost';
    const style = async (): Promise<string> => (await ask(server.port, '/a.css', { host })).body.toString();
    expect(await style()).toBe('p { color: teal }');
    writeFiles(home, { 'site/a.css': 'p { color: red }' });
    expect((await fenestra(home, 'publish', '--yes')).code).toBe(0);
    expect(await style()).toBe('p { color: red }');
    expect((await fenestra(home, 'trace', '/a.css')).out).toMatch(/^200$/m);
    expect((await fenestra(home, 'check', '--at', `http://${host}:${server.port}/`)).code).toBe(0);
    expect((await fenestra(home, 'restore', '1', '--yes')).code).toBe(0);
    expect(await style()).toBe('p { color: teal }');
  } finally {
    expect(await server.stop()).toBe(0);
  }
});
