import { cpSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser } from 'playwright-core';
import { afterAll, beforeAll, beforeEach, expect, it } from 'vitest';
import { launchChromium, watchPage } from './helpers/chromium.js';
import { DEMO, fenestraJson, makeFolder, serve, type Serving } from './helpers/program.js';
import { lacks, needs } from './helpers/machine.js';

let server: Serving;
let browser: Browser;
let site: string;
beforeEach(needs('Chromium'));
beforeAll(async () => {
  if (lacks('Chromium') !== undefined) return;
  const home = makeFolder();
  cpSync(DEMO, home, { recursive: true });
  rmSync(join(home, '.fenestra'), { recursive: true, force: true });
  await fenestraJson(home, 'publish', '--yes');
  await fenestraJson(home, 'access', 'open', '--sure', 'wendle-mill');
  server = await serve(home);
  site = `http://wendle-mill.localhost:${server.port}`;
  browser = await launchChromium();
});
afterAll(async () => {
  if (lacks('Chromium') !== undefined) return;
  await browser.close();
  await server.stop();
});

/** Loads an address and returns every console error and every request that failed. */
async function visit(
  path: string,
  expected = 200,
): Promise<{ page: Awaited<ReturnType<Browser['newPage']>>; troubles: string[] }> {
  const { page, troubles } = await watchPage(browser, site + path);
  const response = await page.goto(site + path, { waitUntil: 'networkidle' });
  expect(response?.status()).toBe(expected);
  return { page, troubles };
}

it('shows every page of the demo site without a console error or a failed request', async () => {
  for (const path of [
    '/',
    '/visit/',
    '/visit/getting-here/',
    '/times/',
    '/mill/',
    '/museum/',
    '/news/',
    '/news/spring-tides/',
  ]) {
    const { page, troubles } = await visit(path);
    expect([path, troubles]).toEqual([path, []]);
    await page.close();
  }
});

it('runs the module script and loads the font that the pages ask for', async () => {
  const { page } = await visit('/times/');
  expect(await page.locator('#tides tbody tr').count()).toBe(7);
  expect(await page.evaluate('document.fonts.check("16px \\"Wendle Digits\\"", "0123")')).toBe(true);
  await page.close();
});

it('shows the error page with its styles at any depth, and a way back', async () => {
  const { page, troubles } = await visit('/a/b/c/d', 404);
  expect(troubles).toEqual([]);
  expect(await page.evaluate('getComputedStyle(document.querySelector(".top")).display')).toBe('flex');
  await page.click('text=Start from the home page');
  expect(await page.title()).toBe('The Wendle Creek Tide Mill');
  await page.close();
});

it('seeks in the film by ranges', async () => {
  const { page, troubles } = await visit('/mill/film/');
  const time = await page.evaluate(`new Promise((done, failed) => {
    const film = document.querySelector('video');
    film.onseeked = () => done(film.currentTime);
    film.onerror = () => failed(new Error('the film does not play'));
    const seek = () => { film.currentTime = film.duration * 0.75; };
    if (film.readyState >= 1) seek(); else { film.onloadedmetadata = seek; film.load(); }
  })`);
  expect([troubles, Number(time) > 2]).toEqual([[], true]);
  expect(server.log()).toMatch(/206 GET .*\/film\/wheel\.(mp4|webm) {2}a range/);
  await page.close();
});
