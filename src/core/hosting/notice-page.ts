/** The emulation's own page, where a bucket host would show one of its own: it names the cause and the cure. */
import type { Answer } from './answer.js';
import { escapeHtml } from './escape-html.js';

const TITLES: Readonly<Record<number, string>> = {
  400: 'This address is malformed',
  401: 'This bucket is closed',
  403: 'Nobody may read this',
  404: 'There is nothing here',
  405: 'A bucket only answers reading',
  412: 'The condition does not hold',
  414: 'This address is too long',
  416: 'No such bytes',
  503: 'The stored bytes are damaged',
};

const STYLE = `
:root{color-scheme:light dark;--ink:#21302f;--soft:#5c6b69;--paper:#fbfaf6;--line:#d9d5c8;--mark:#a8501f}
@media(prefers-color-scheme:dark){:root{--ink:#e6ebe8;--soft:#9db0ac;--paper:#17201f;--line:#33423f;--mark:#e59a63}}
*{box-sizing:border-box}body{margin:0;min-height:100vh;display:grid;place-items:center;background:var(--paper);color:var(--ink);font:17px/1.55 Georgia,"Times New Roman",serif}
main{width:min(40rem,92vw);padding:2rem 0}p.status{font:600 .85rem/1 ui-monospace,monospace;color:var(--mark);margin:0 0 .8rem}
h1{font-size:1.9rem;line-height:1.2;margin:0 0 1rem;font-weight:600}p{margin:.4rem 0}p.cure{margin-top:1.4rem;color:var(--soft)}
code{display:block;margin:.5rem 0 0;padding:.8rem 1rem;border:1px solid var(--line);border-left:4px solid var(--mark);font:.95rem/1.4 ui-monospace,monospace;color:var(--ink);overflow-wrap:anywhere}
footer{margin-top:2.4rem;padding-top:.8rem;border-top:1px solid var(--line);font-size:.85rem;color:var(--soft)}`;

/** Renders the page of an answer whose body is a notice. */
export function renderNotice(answer: Answer, bucket: string, fix: string | undefined): string {
  const title =
    answer.reason === 'closed' ? 'This bucket is closed' : (TITLES[answer.status] ?? 'This did not work');
  return `<!doctype html>
<html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>${answer.status} ${escapeHtml(title)}</title><style>${STYLE}</style>
<main><p class="status">${answer.status} · bucket ${escapeHtml(bucket)}</p><h1>${escapeHtml(title)}</h1>
<p>${escapeHtml(sentence(answer.because ?? 'The request was refused'))}</p>
${fix === undefined ? '' : `<p class="cure">What helps<code>${escapeHtml(fix)}</code></p>`}
<footer>This page comes from Fenestra's emulation. A bucket host shows a plainer one, without the reason.</footer></main></html>
`;
}

const sentence = (text: string): string =>
  text.charAt(0).toUpperCase() + text.slice(1) + (/[.!?]$/.test(text) ? '' : '.');
