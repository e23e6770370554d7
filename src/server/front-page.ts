/** The page at the bare address: which buckets are here, whether they are open, and where. */
import type { IncomingMessage, ServerResponse } from 'node:http';
import { escapeHtml } from '../core/hosting/escape-html.js';
import { formatBytes } from '../core/words/counts.js';
import { writeHead } from './head.js';
import type { HostedBucket } from './hosted.js';

const STYLE = `
:root{color-scheme:light dark;--ink:#21302f;--soft:#5c6b69;--paper:#fbfaf6;--card:#fff;--line:#d9d5c8;--open:#22694f;--closed:#a8501f}
@media(prefers-color-scheme:dark){:root{--ink:#e6ebe8;--soft:#9db0ac;--paper:#17201f;--card:#1e2a28;--line:#33423f;--open:#7cc7a8;--closed:#e59a63}}
*{box-sizing:border-box}body{margin:0;background:var(--paper);color:var(--ink);font:17px/1.5 Georgia,"Times New Roman",serif}
main{width:min(52rem,92vw);margin:4rem auto}h1{font-size:1.8rem;font-weight:600;margin:0}p{color:var(--soft);margin:.3rem 0 2rem}
ul{list-style:none;margin:0;padding:0;display:grid;gap:.8rem}li{background:var(--card);border:1px solid var(--line);padding:1rem 1.2rem;display:grid;grid-template-columns:1fr auto;gap:.2rem 1rem}
a{color:inherit;font-size:1.15rem}small{color:var(--soft);font:.85rem/1.4 ui-monospace,monospace}.access{font:600 .85rem/1.8 ui-monospace,monospace;text-align:right}.open{color:var(--open)}.closed{color:var(--closed)}
.trouble{white-space:pre-wrap;border-left:4px solid var(--closed);background:var(--card);padding:1rem 1.2rem;margin:0 0 2rem;font:.9rem/1.5 ui-monospace,monospace}`;

/** Tells the emulation's own page from a bucket's. */
const FRONT_HEADER = 'Fenestra-Page';

export function answerFront(
  request: IncomingMessage,
  response: ServerResponse,
  hosted: { buckets(): readonly HostedBucket[] },
  about: AboutServer,
): void {
  const page = Buffer.from(renderFrontPage(hosted.buckets(), about));
  const reading = request.method === 'GET' || request.method === 'HEAD';
  const headers = [
    'Content-Type',
    'text/html; charset=utf-8',
    'Cache-Control',
    'no-store',
    FRONT_HEADER,
    'buckets',
    'Content-Length',
    String(reading ? page.length : 0),
  ];
  writeHead(response, reading ? 200 : 405, reading ? headers : [...headers, 'Allow', 'GET, HEAD']);
  response.end(request.method === 'GET' ? page : undefined);
}

export interface AboutServer {
  /** Where it listens, for the addresses. */
  readonly port: number;
  /** Paths below which buckets are served. */
  readonly places?: ReadonlyMap<string, string> | undefined;
  /** Why something older is hosted. */
  readonly trouble: string | undefined;
}

export function renderFrontPage(
  buckets: readonly HostedBucket[],
  { port, places, trouble }: AboutServer,
): string {
  const rows = buckets.map((bucket) => {
    const addresses = [`${bucket.name}.localhost`, ...bucket.domains].map(
      (host) => `http://${host}:${port}${places?.get(bucket.name) ?? '/'}`,
    );
    const [first = '', ...others] = addresses;
    return `<li><a href="${escapeHtml(first)}">${escapeHtml(bucket.name)}</a><span class="access ${bucket.access}">${bucket.access}</span>
<small>${escapeHtml([first, ...others].join(' · '))}</small><small>release ${bucket.release} · ${bucket.objects} objects · ${formatBytes(bucket.bytes)}</small></li>`;
  });
  const list =
    rows.length > 0
      ? `<ul>${rows.join('\n')}</ul>`
      : '<p>Nothing is here yet. Run <code>fenestra publish</code>.</p>';
  return `<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Buckets here</title><style>${STYLE}</style>
<main><h1>Buckets here</h1><p>This is the emulation's own page. Each bucket answers under its own host name.</p>
${trouble === undefined ? '' : `<pre class="trouble">${escapeHtml(trouble)}\n\nThe last good state is hosted until this is mended.</pre>\n`}${list}</main></html>
`;
}
