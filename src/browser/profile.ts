/** A browser's profile: it outlives the browsers that are started with it, and nothing of it outlives this process. */
import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/**
 * Waits until this process has ended, however it ends: then its end of the pipe is closed. It is told the process ids of
 * browsers, one a line, and takes them and the folder away.
 */
const KEEPER = `
const { readdirSync, readFileSync, rmSync, existsSync } = require('node:fs');
const folder = process.argv[1];
let told = '';
const kill = (id) => { try { process.kill(Number(id), 'SIGKILL'); } catch {} };
const belongs = (id) => { try { return readFileSync('/proc/' + id + '/cmdline', 'utf8').includes(folder); } catch { return false; } };
const others = () => { try { return readdirSync('/proc').filter((id) => /^[0-9]+$/.test(id) && Number(id) !== process.pid && belongs(id)); } catch { return []; } };
process.stdin.on('data', (chunk) => (told += chunk));
process.stdin.on('error', () => 1);
process.stdin.on('close', () => {
  told.split(/[^0-9]+/).filter(Boolean).forEach(kill);
  // One that was just being started may make its folder anew.
  let quiet = 0;
  const look = setInterval(() => {
    others().forEach(kill);
    quiet = existsSync(folder) ? 0 : quiet + 1;
    try { rmSync(folder, { recursive: true, force: true }); } catch {}
    if (quiet > 10) clearInterval(look);
  }, 100);
  setTimeout(() => process.exit(), 15000);
});
`;

export class Profile {
  readonly folder = mkdtempSync(join(tmpdir(), 'fenestra-browser-'));
  readonly #keeper: ChildProcess;

  constructor() {
    this.#keeper = spawn(process.execPath, ['-e', KEEPER, this.folder], {
      stdio: ['pipe', 'ignore', 'ignore'],
      detached: true,
    });
    this.#keeper.on('error', () => undefined);
    this.#keeper.stdin?.on('error', () => undefined);
    this.#keeper.unref();
    // Node's types know nothing of it: the pipe alone is no reason to go on.
    (this.#keeper.stdin as unknown as { unref?: () => void } | null)?.unref?.();
  }

  /** A browser that was started with it. */
  note({ pid }: ChildProcess): void {
    if (pid === undefined) return;
    this.#keeper.stdin?.write(`${pid}\n`);
  }

  remove(): void {
    rmSync(this.folder, { recursive: true, force: true, maxRetries: 5, retryDelay: 100 });
    // Process ids are given to others once they are free.
    this.#keeper.kill('SIGKILL');
  }
}
