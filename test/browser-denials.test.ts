/** A real browser that looks at pages of others leaves nothing behind and asks nobody anything. */
import { spawn } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { execa } from 'execa';
import { beforeEach, expect, it } from 'vitest';
import { needs } from './helpers/machine.js';
import { fenestra, makeFolder, makeProject, PAGE } from './helpers/program.js';

beforeEach(needs('Chromium'));

const PUSHY = PAGE.replace(
  '</html>',
  `<a id="d" href="/take.bin" download>x</a><iframe src="/take.bin"></iframe>
<script>
  addEventListener('beforeunload', (event) => event.preventDefault());
  addEventListener('load', () => {
    open('/other.html');
    document.getElementById('d').click();
    navigator.geolocation.getCurrentPosition(() => 1, () => 1);
    Notification.requestPermission();
    navigator.serviceWorker.register('/worker.js').catch(() => 1);
    setTimeout(() => { print(); alert('look'); confirm('sure?'); prompt('name?'); }, 100);
  });
</script></html>`,
);

const project = (): string =>
  makeProject({
    'site/pushy.html': PUSHY,
    'site/other.html': PAGE,
    'site/take.bin': Buffer.alloc(2000, 1),
    'site/worker.js': 'addEventListener("fetch", (event) => event.respondWith(new Response("mine")));',
  });

it('downloads nothing, answers nothing, and says what it denied', async () => {
  const home = project();
  const user = makeFolder();
  await fenestra(home, 'publish', '--yes');
  const words = ['visit', '/pushy.html', '/', '--browser', '--after', '0 seconds', '--json'];
  const { stdout, exitCode } = await execa(process.execPath, [resolve('dist/fenestra.js'), ...words], {
    cwd: home,
    reject: false,
    env: { HOME: user, NO_COLOR: '1' },
    stdin: 'ignore',
  });
  const { denied } = JSON.parse(stdout) as { denied: { what: string; times: number }[] };
  expect([0, 1]).toContain(exitCode);
  expect(denied.map(({ what }) => what)).toEqual(expect.arrayContaining(['dialog', 'download']));
  const left = readdirSync(user, { recursive: true, encoding: 'utf8' });
  expect(left.filter((name) => name.includes('take'))).toEqual([]);
  expect(readdirSync(home).filter((name) => name.includes('take'))).toEqual([]);
});

it('ends with its parent, however that ends, and so does its profile', async () => {
  const home = project();
  await fenestra(home, 'publish', '--yes');
  const scratch = mkdtempSync(join(tmpdir(), 'fenestra-test-'));
  const words = [
    resolve('dist/fenestra.js'),
    'visit',
    '/',
    '/pushy.html',
    '--browser',
    '--after',
    '0 seconds',
  ];
  const child = spawn(process.execPath, words, {
    cwd: home,
    stdio: 'ignore',
    env: { ...process.env, TMPDIR: scratch },
  });
  const profiles = (): string[] =>
    readdirSync(scratch).filter((name) => name.startsWith('fenestra-browser-'));
  await expect
    .poll(() => profiles().some((name) => existsSync(join(scratch, name, 'profile'))), { timeout: 30_000 })
    .toBe(true);
  const [name = ''] = profiles();
  child.kill('SIGKILL');
  await expect.poll(profiles, { timeout: 30_000 }).toEqual([]);
  const running = (): string[] =>
    readdirSync('/proc').filter((id) => {
      try {
        return /^\d+$/.test(id) && commandOf(id).includes(name);
      } catch {
        return false;
      }
    });
  await expect.poll(running, { timeout: 30_000 }).toEqual([]);
});

const commandOf = (id: string): string => readFileSync(`/proc/${id}/cmdline`, 'utf8');
