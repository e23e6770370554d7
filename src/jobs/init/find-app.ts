/** Whether a folder of built files is an application of one page, which answers addresses of its own in the browser. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { isPage, isScript } from '../../core/assign/defaults.js';
import { typeByName } from '../../core/assign/media-type.js';
import { readObject } from '../../core/reading/read-object.js';
import { isErrorName } from '../../core/site/document-names.js';

/** What changes the address in the bar without a request. */
const ROUTER = /\bpushState\b/;
/** Bytes of one script, and scripts in all: a bundle is no larger, and a site with more is none. */
const MAX_SCRIPT = 8 * 1024 * 1024;
const MAX_SCRIPTS = 100;

/** @param keys of the site @param index its index document */
export function isApp(site: string, keys: readonly string[], index: string): boolean {
  const typed = (is: (type: string) => boolean): string[] => keys.filter((key) => is(typeByName(key) ?? ''));
  const pages = typed(isPage).filter(
    (key) => key !== index && !isErrorName(key) && !/^200\.html?$/.test(key),
  );
  if (pages.length > 0 || !keys.includes(index)) return false;
  const scripts = typed(isScript).filter((key) => !/\.(?:wasm|map)$/.test(key));
  if (scripts.length === 0 || scripts.length > MAX_SCRIPTS) return false;
  const page = readObject('page', textOf(join(site, index)));
  return Boolean(page.empty && page.scripted) && scripts.some((key) => ROUTER.test(textOf(join(site, key))));
}

function textOf(path: string): string {
  try {
    const bytes = readFileSync(path);
    return bytes.length > MAX_SCRIPT ? '' : bytes.toString('utf8');
  } catch {
    return '';
  }
}

/** The addresses in an answer; none where somebody says so. */
export const readAppPaths = (answer: string): string[] =>
  /^(?:none|no|-)?$/i.test(answer.trim())
    ? []
    : answer
        .split(/[\s,]+/)
        .filter(Boolean)
        .map((path) => (path.startsWith('/') ? path : `/${path}`));
