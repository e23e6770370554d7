/** What every page shares: it needs nothing else, no file and no network. */
import { formatWhen, isoMoment } from '../../core/words/moments.js';
import { formatCount } from '../../core/words/counts.js';
import { escapeHtml } from '../../core/hosting/escape-html.js';
import { visible } from '../text/paint.js';
import { PAGE_STYLE } from './page-style.js';

/** Everything that comes from files, addresses or endpoints passes through here. */
export const text = (words: string): string => escapeHtml(visible(words));

/**
 * A page up to the beginning of its body.
 * @param style beside what every page has
 * @param script the source of the one script that may run, for its policy
 */
export const openPage = (title: string, style = '', script?: string): string => `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width,initial-scale=1">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'${script === undefined ? '' : `; script-src ${script}`}">
<meta name="color-scheme" content="light dark">
<title>${text(title)}</title>
<style>${PAGE_STYLE}${style}</style>
</head>
<body>`;

/** A list of which the first entries are seen at once, and the others by whoever unfolds them. */
export function folded(items: readonly string[], open: number): string {
  const rest = items.slice(open);
  const more =
    rest.length === 0
      ? ''
      : `<details><summary>and ${formatCount(rest.length)} more</summary><ul>${rest.join('')}</ul></details>`;
  return `<ul>${items.slice(0, open).join('')}</ul>${more}`;
}

/** A moment for people and for programs. @param when milliseconds since the epoch */
export const timeOf = (when: number): string =>
  `<time datetime="${isoMoment(when)}">${formatWhen(when)}</time>`;
