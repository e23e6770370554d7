/** Whatever way leads there: what nobody could read when it was last published becomes public only by the bucket's name. */
import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { fenestra, fenestraJson, makeProject, PAGE, writeFiles } from './helpers/program.js';

const POLICY = 'readable: { keys: ["**"], except: ["drafts/**"] }\n';
const OPEN = 'readable: { keys: ["**"] }\n';
const configOf = (policy: string, more = ''): string =>
  `site: site
destinations:
  live: { store: here, bucket: live-mill${more} }
  rehearsal: { store: here, bucket: test-mill }
documents: { index: index.html }
${policy}`;

/** A draft was private in release 1; then it went, and with it the line that kept it private. */
async function begin(more = ''): Promise<string> {
  const home = makeProject({ 'site/drafts/plan.html': PAGE }, configOf(POLICY, more));
  await fenestra(home, 'publish', '--yes');
  await fenestra(home, 'access', 'open', '--sure', 'live-mill');
  rmSync(join(home, 'site/drafts'), { recursive: true });
  writeFiles(home, { 'fenestra.yaml': configOf(OPEN, more) });
  expect((await fenestra(home, 'publish', '--yes')).code).toBe(0);
  return home;
}
const comesBack = (home: string): void => writeFiles(home, { 'site/drafts/plan.html': PAGE });
const ASKS = [4, expect.stringMatching(/lets anyone read 1 more key of live-mill[^]*--sure live-mill/)];

describe('a draft that was private comes back as public', () => {
  it.each([
    ['at the root', ''],
    ['in a folder of the bucket', ', under: docs'],
  ])('by no restore and no publish that nobody has named the bucket for: %s', async (_where, more) => {
    const home = await begin(more);
    const restored = await fenestra(home, 'restore', '1', '--yes');
    expect([restored.code, restored.err]).toEqual(ASKS);
    comesBack(home);
    const { out: looked } = await fenestra(home, 'publish', '--dry-run');
    expect(looked).toMatch(/1 key that nobody could read when last published will be readable by anyone/);
    const published = await fenestra(home, 'publish', '--yes');
    expect([published.code, published.err]).toEqual(ASKS);
    expect((await fenestra(home, 'publish', '--yes', '--sure', 'live-mill')).code).toBe(0);
    // Once it was public it is so without a word.
    writeFiles(home, { 'site/drafts/plan.html': `${PAGE}\n` });
    expect((await fenestra(home, 'publish', '--yes')).code).toBe(0);
  });

  it('by no list that was agreed on, by no part, and as no rehearsal did', async () => {
    const home = await begin();
    comesBack(home);
    const { code } = await fenestraJson<{ code: string }>(home, 'publish', '--dry-run');
    const agreed = await fenestra(home, 'publish', '--agreed', code);
    expect([agreed.code, agreed.err]).toEqual(ASKS);
    const part = await fenestra(home, 'publish', '--yes', '--matching', 'drafts/**');
    expect([part.code, part.err]).toEqual(ASKS);
    await fenestra(home, 'publish', '--to', 'rehearsal', '--yes');
    const like = await fenestra(home, 'publish', '--like', 'rehearsal', '--yes');
    expect([like.code, like.err]).toEqual(ASKS);
  });
});
