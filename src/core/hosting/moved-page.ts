/** A small page in the place of a redirect, for hosts that have none: it moves the visitor on and says so. */
import { keyToPath } from '../site/key.js';
import { escapeHtml } from './escape-html.js';
import type { BucketSettings } from './bucket-view.js';

export interface MovedPage {
  readonly key: string;
  /** The address in the config. */
  readonly from: string;
  readonly html: string;
}

/** Addresses that stand for everything below them, for which no page can. */
export const listMovedBelow = ({ moved }: BucketSettings): string[] =>
  [...Object.keys(moved.permanently), ...Object.keys(moved.temporarily)].filter((from) => from.endsWith('*'));

/** A page for each single address; an exact one that moved for good wins, as in the resolver. */
export function renderMovedPages({ moved, documents }: BucketSettings): MovedPage[] {
  const pages = new Map<string, MovedPage>();
  for (const kind of ['temporarily', 'permanently'] as const)
    for (const [from, to] of Object.entries(moved[kind])) {
      if (from.endsWith('*')) continue;
      const key = from.endsWith('/') ? from.slice(1) + documents.index : from.slice(1);
      pages.set(key, { key, from, html: renderPage(from, to, kind === 'permanently') });
    }
  return [...pages.values()];
}

/** RFC 6596 for the canonical address; the refresh takes no time, so that going back does not come here again. */
function renderPage(from: string, to: string, forGood: boolean): string {
  const target = escapeHtml(to);
  return `<!doctype html>
<html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>This page has moved</title>
<meta http-equiv="refresh" content="0; url=${target}">
${forGood ? `<link rel="canonical" href="${target}">` : '<meta name="robots" content="noindex">'}
<p>${escapeHtml(keyToPath(from.slice(1)))} ${forGood ? 'has moved for good' : 'has moved for now'}: go on to <a href="${target}">${target}</a>.</p></html>
`;
}
