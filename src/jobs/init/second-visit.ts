/** What the home page of a site asks for on a second visit, now and with versioned names. */
import { readFileSync } from 'node:fs';
import { isLoad } from '../../core/check/release-context.js';
import { readObject } from '../../core/reading/read-object.js';
import { proposedFor } from '../../core/versioning/propose-versioned.js';

export interface SecondVisit {
  /** Requests, the page itself among them. */
  readonly now: number;
  readonly versioned: number;
}

/** @param path of the home page @param keys of the site @returns undefined where it cannot be read */
export function countSecondVisit(path: string, keys: readonly string[]): SecondVisit | undefined {
  const known = new Set(keys);
  let text: string;
  try {
    text = readFileSync(path, 'utf8');
  } catch {
    return undefined;
  }
  const asked = new Set<string>();
  for (const { use, raw } of readObject('page', text).references) {
    if (!isLoad(use) || !URL.canParse(raw, 'http://site.invalid/')) continue;
    const { host, pathname } = new URL(raw, 'http://site.invalid/');
    const key = decode(pathname.slice(1));
    if (host === 'site.invalid' && known.has(key)) asked.add(key);
  }
  const left = [...asked].filter((key) => proposedFor(key) === undefined).length;
  return { now: asked.size + 1, versioned: left + 1 };
}

function decode(path: string): string {
  try {
    return decodeURIComponent(path).normalize('NFC');
  } catch {
    return path;
  }
}
