import { cpSync } from 'node:fs';
import { join } from 'node:path';
import { expect, it } from 'vitest';
import { openProject } from '../src/library/index.js';
import type { CheckJson } from '../src/report/json/check-json.js';
import { DEMO, fenestra, makeFolder, writeFiles } from './helpers/program.js';

it('a place beside another destination: what both answer, and what only one does', async () => {
  const home = makeFolder();
  cpSync(DEMO, home, { recursive: true });
  for (const to of ['rehearsal', 'live']) {
    expect((await fenestra(home, 'publish', '--yes', '--to', to)).code).toBe(0);
    await fenestra(
      home,
      'access',
      'open',
      '--to',
      to,
      '--sure',
      to === 'live' ? 'wendle-mill-live' : 'wendle-mill',
    );
  }
  const project = await openProject({ config: join(home, 'fenestra.yaml'), to: 'live' });
  const server = await project.serve({ port: 0 });
  const check = async (
    bucket: string,
  ): Promise<{ code: number; against: NonNullable<CheckJson['against']> }> => {
    const at = `http://${bucket}.localhost:${server.port}/`;
    const { code, out } = await fenestra(
      home,
      'check',
      '--to',
      'live',
      '--at',
      at,
      '--against',
      'rehearsal',
      '--json',
    );
    const { against } = JSON.parse(out) as CheckJson;
    if (!against) throw new Error(`nothing was asked of both: ${out}`);
    return { code, against };
  };
  try {
    const alike = await check('wendle-mill-live');
    expect([alike.code, alike.against.differences]).toEqual([0, []]);
    expect(alike.against.asked).toBeGreaterThan(100);
    // The rehearsal goes ahead: that the two differ is as it is to be.
    writeFiles(home, { 'site/robots.txt': 'User-agent: *\nDisallow: /data/\n' });
    await fenestra(home, 'publish', '--yes');
    const ahead = await check('wendle-mill-live');
    expect([ahead.code, ahead.against.differences]).toMatchObject([
      0,
      [{ path: '/robots.txt', aspect: 'bytes', expected: true }],
    ]);
    // Without an address what lies here is asked of our own emulation.
    const own = await fenestra(home, 'check', '--to', 'live', '--against', 'rehearsal', '--json');
    expect((JSON.parse(own.out) as CheckJson).against?.differences).toEqual(ahead.against.differences);
    // An endpoint that answers with something else than the release is told from that.
    const other = await check('wendle-mill');
    expect(other.code).toBe(1);
    expect((await fenestra(home, 'check', '--to', 'live', '--against', 'nowhere')).code).toBe(2);
    expect((await fenestra(home, 'check', '--unpublished', '--against', 'rehearsal')).code).toBe(2);
  } finally {
    await server.close();
  }
});
