import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium, type Browser, type BrowserContext, type Page } from 'playwright-core';

const FLAGS = [
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
];

/** @param more further flags */
export const launchChromium = (...more: string[]): Promise<Browser> =>
  chromium.launch({
    executablePath: '/usr/bin/chromium',
    args: [...FLAGS, ...more, `--crash-dumps-dir=${mkdtempSync(join(tmpdir(), 'chromium-'))}`],
  });

export interface Watched {
  readonly page: Page;
  /** Console errors, failed requests and answers of 400 and above, but for the page's own. */
  readonly troubles: string[];
}

/** Opens a page and notes everything that goes wrong on it. */
export async function watchPage(context: Browser | BrowserContext, url: string): Promise<Watched> {
  const page = await context.newPage();
  const troubles: string[] = [];
  page.on('console', (message) => {
    if (message.type() === 'error' && !message.text().includes('the server responded with a status of 404'))
      troubles.push(message.text());
  });
  page.on('pageerror', (error) => troubles.push(error.message));
  page.on('requestfailed', (request) => {
    // A player gives up a request of its own accord when it seeks elsewhere.
    if (request.resourceType() === 'media' && request.failure()?.errorText === 'net::ERR_ABORTED') return;
    troubles.push(`${request.url()} ${request.failure()?.errorText ?? ''}`);
  });
  page.on('response', (response) => {
    if (response.status() >= 400 && response.url() !== url)
      troubles.push(`${response.status()} ${response.url()}`);
  });
  return { page, troubles };
}
