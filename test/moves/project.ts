/** A project whose site is to be at `www.wendlemill.example`, and `fenestra domain check` in it. */
import { execFile } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { BUCKET_HOST, ROOT } from './tree.js';

export interface Checked {
  readonly code: number;
  readonly said: string;
}

const config = (more: string): string => `site: site
destinations:
  live:
    store: here
    bucket: wendle-mill-live
    bucketHost: ${BUCKET_HOST}
    domains: [www.wendlemill.example]
${more}`;

/** @param program the built one @param more lines of the destination */
export function openProject(
  folder: string,
  program: string,
  more = '',
): (...words: string[]) => Promise<Checked> {
  const home = join(folder, 'home');
  mkdirSync(join(home, 'site'), { recursive: true });
  writeFileSync(join(home, 'fenestra.yaml'), config(more));
  writeFileSync(join(home, 'site', 'index.html'), '<!doctype html><title>Mill</title>');
  return (...words) =>
    new Promise((done) => {
      execFile(
        process.execPath,
        [program, 'domain', 'check', '--root', ROOT, '--names-only', ...words],
        { cwd: home, env: { ...process.env, NO_COLOR: '1' } },
        (error, out, err) => done({ code: error ? Number(error.code ?? 1) : 0, said: out + err }),
      );
    });
}
