/** An application of one page: built with a router from npm, published, opened at its own addresses and loaded again there. */
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Browser } from 'playwright-core';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { CheckJson } from '../src/report/json/check-json.js';
import { ask } from './helpers/ask.js';
import { buildApp } from './helpers/built-app.js';
import { launchChromium } from './helpers/chromium.js';
import { cloudOf } from './helpers/cloud.js';
import { joinCluster, type Cluster } from './helpers/cluster.js';
import { describeWith } from './helpers/machine.js';
import { fenestra, fenestraJson, makeFolder, makeProject, serve, type Serving } from './helpers/program.js';

const PATHS = '["/orders/**", "/about"]';
const config = (more = ''): string => `site: dist
destinations: { rehearsal: { store: here, bucket: mill-orders } }
documents: { app: index.html, appPaths: ${PATHS} }
${more}`;

async function appProject(more = '', base = '/'): Promise<string> {
  const home = makeFolder({ 'fenestra.yaml': config(more) });
  mkdirSync(join(home, 'dist'));
  await buildApp(join(home, 'dist'), base);
  return home;
}

async function publishApp(home: string): Promise<Serving> {
  await fenestraJson(home, 'publish', '--yes');
  await fenestraJson(home, 'access', 'open', '--sure', 'mill-orders');
  return serve(home);
}

/** Opens its own addresses as a visitor who was sent them does, loads each again, and follows a link in it. */
async function useApp(browser: Browser, base: string, statuses: readonly number[]): Promise<void> {
  const page = await browser.newPage();
  const title = (): Promise<string> => page.locator('h1').innerText();
  const opened: [number, string, number, string][] = [];
  for (const path of ['/orders/12', '/orders', '/about']) {
    const first = await page.goto(base + path, { waitUntil: 'networkidle' });
    const shown = await title();
    const again = await page.reload({ waitUntil: 'networkidle' });
    opened.push([first?.status() ?? 0, shown, again?.status() ?? 0, await title()]);
  }
  const [order = 0, orders = 0, about = 0] = statuses;
  expect(opened).toEqual([
    [order, 'Order 12', order, 'Order 12'],
    [orders, 'All orders', orders, 'All orders'],
    [about, "About the mill's shop", about, "About the mill's shop"],
  ]);
  await page.getByRole('link', { name: 'Order 12' }).click();
  await page.locator('h1', { hasText: 'Order 12' }).waitFor();
  expect(new URL(page.url()).pathname).toBe('/orders/12');
  await page.close();
}

describeWith(['Chromium'], 'an application on the embedded store', () => {
  let browser: Browser;
  beforeAll(async () => {
    browser = await launchChromium('--host-resolver-rules=MAP * 127.0.0.1');
  });
  afterAll(() => browser.close());

  it.each([
    ['with the status of what is missing', '', 404],
    ['with 200 where a host has it', 'quirks: { appPages: page }\n', 200],
    ['under versioned names', 'versioned: ["assets/**"]\nquirks: { appPages: page }\n', 200],
  ])('answers at its own addresses %s', async (_name, more, status) => {
    const home = await appProject(more);
    const server = await publishApp(home);
    const base = `http://mill-orders.localhost:${server.port}`;
    await useApp(browser, base, [status, status, 200]);
    const checked = await fenestraJson<CheckJson>(home, 'check', '--at', `${base}/`);
    expect(checked).toMatchObject({ passed: true, probes: { failed: 0 } });
    await server.stop();
  });
});

describeWith(['Swift', 'Chromium'], 'an application on a real object store', () => {
  let cluster: Cluster;
  beforeAll(async () => {
    cluster = await joinCluster('apps');
  });
  const cloudConfig = (more = ''): string =>
    cloudOf(cluster)
      .config('mill-orders')
      .replace('site: site', 'site: dist')
      .replace(/documents: .*/, `documents: { app: index.html, appPaths: ${PATHS}${more} }`);

  it('answers by its one error document, and says where that is another page', async () => {
    const { run, json } = cloudOf(cluster);
    const home = await appProject();
    writeFileSync(join(home, 'fenestra.yaml'), cloudConfig());
    await json(home, 'publish', '--yes');
    await json(home, 'access', 'open', '--sure', 'mill-orders');
    const browser = await launchChromium('--host-resolver-rules=MAP * 127.0.0.1');
    const host = cluster.host('mill-orders');
    await useApp(browser, `http://${host}`, [404, 404, 200]);
    await browser.close();
    const checked = await json<CheckJson>(home, 'check', '--at', `http://${host}/`);
    expect(checked).toMatchObject({ passed: true, probes: { failed: 0 } });
    expect(checked.findings.map(({ rule }) => rule)).toEqual(['app-answers-missing']);
    // A host with one error document gives it for missing files too: 404 at least, so that no browser runs it.
    expect((await ask(cluster.port, '/orders/app.js', { host })).status).toBe(404);
    writeFileSync(join(home, 'dist/no.html'), readFileSync(join(home, 'dist/index.html')));
    writeFileSync(join(home, 'fenestra.yaml'), cloudConfig(', error: no.html'));
    const other = await run(home, 'check', '--unpublished');
    expect([other.code, other.out]).toEqual([
      1,
      expect.stringContaining('so /orders/** shows no.html and not index.html'),
    ]);
  });
});

it('keeps missing files missing, whatever the host does with addresses', async () => {
  for (const choice of ['status-of-missing', 'page']) {
    const home = await appProject(`quirks: { appPages: ${choice} }\n`);
    const server = await publishApp(home);
    const host = `mill-orders.localhost:${server.port}`;
    const bodies = await Promise.all(
      ['/orders/main.js', '/orders/12/site.css', '/about/owl.png', '/assets/main-OLD.js'].map((path) =>
        ask(server.port, path, { host }),
      ),
    );
    expect(bodies.map(({ status }) => status)).toEqual([404, 404, 404, 404]);
    for (const { body } of bodies) expect(body.toString()).not.toContain('id="app"');
    expect((await ask(server.port, '/elsewhere', { host })).body.toString()).not.toContain('id="app"');
    await server.stop();
  }
});

it('is adopted by init, which asks the router', async () => {
  const home = makeFolder();
  mkdirSync(join(home, 'dist'));
  await buildApp(join(home, 'dist'));
  const made = await fenestraJson(home, 'init', '--bucket', 'mill-orders');
  expect(made).toMatchObject({ documents: { app: 'index.html', appPaths: ['/**'] } });
  expect((await fenestra(home, 'config', 'check')).code).toBe(0);
  // Pages of their own are no application, and neither is a script without a router.
  const pages = makeFolder({ 'dist/index.html': '<div id="app"></div><script src="/a.js"></script>' });
  writeFileSync(join(pages, 'dist/a.js'), 'document.title = "Mill"');
  expect(await fenestraJson(pages, 'init', '--bucket', 'mill-a')).toMatchObject({
    documents: { index: 'index.html', error: null },
  });
});

it('says what is wrong with an application before it is published', async () => {
  const home = await appProject('', './');
  const relative = await fenestra(home, 'check', '--unpublished');
  expect([relative.code, relative.out]).toEqual([
    1,
    expect.stringMatching(/error app-page-relative\n[^]*write \/assets\//),
  ]);
  expect(relative.out).not.toContain('reference-missing');
  for (const [documents, said] of [
    ['{ app: index.html }', 'documents.app needs `appPaths`'],
    ['{ appPaths: /about }', 'documents.appPaths needs `app`'],
    [
      '{ app: index.html, appPaths: [orders] }',
      '"orders" does not start with a slash — did you mean /orders',
    ],
    ['{ app: index.html, appPaths: ["/a?b"] }', '"/a?b" has a query or fragment'],
    ['{ app: index.html, appPaths: ["/"] }', 'the root has the index document already'],
  ] as const) {
    writeFileSync(join(home, 'fenestra.yaml'), config().replace(/documents: .*/, `documents: ${documents}`));
    expect((await fenestra(home, 'config', 'check')).err).toContain(said);
  }
  writeFileSync(join(home, 'fenestra.yaml'), config().replace('app: index.html', 'app: home.html'));
  expect((await fenestra(home, 'survey')).out).toContain('documents: { app: index.html }');
});

it('lies in a subfolder of a bucket, beside another site', async () => {
  const home = await appProject('', '/shop/');
  const text = config().replace('bucket: mill-orders', 'bucket: mill-orders, under: shop/');
  writeFileSync(join(home, 'fenestra.yaml'), text);
  const server = await publishApp(home);
  const host = `mill-orders.localhost:${server.port}`;
  const at = async (path: string): Promise<boolean> =>
    (await ask(server.port, path, { host })).body.toString().includes('id="app"');
  expect([await at('/shop/orders/12'), await at('/shop/about/'), await at('/orders/12')]).toEqual([
    true,
    true,
    false,
  ]);
  // Another site in the bucket leaves the app as it is.
  const other = makeProject(
    {},
    text
      .replace('site: dist', 'site: site')
      .replace(', under: shop/', '')
      .replace(/documents: .*/, `storeFolder: ${join(home, '.fenestra/store')}`),
  );
  await fenestraJson(other, 'publish', '--yes', '--sure', 'mill-orders');
  expect(await at('/shop/orders/12')).toBe(true);
  await server.stop();
});
