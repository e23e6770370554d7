/** The front on this machine, for a terminal. */
import type { FrontCount, FrontVisits } from '../../core/visiting/front-visits.js';
import type { Visit } from '../../core/visiting/run-visits.js';
import { formatBytes, formatCount } from '../../core/words/counts.js';
import { columns, visible, type Paint } from './paint.js';
import { visitLabel } from './visit-label.js';
import { wrapLines } from './wrap.js';

interface Front {
  readonly port: number;
  readonly plainPort: number;
  readonly authority: { readonly path: string; readonly names: readonly string[] };
  readonly hosts: readonly string[];
  readonly shared: boolean;
}

export function formatFront(
  { port, plainPort, shared, hosts }: Front,
  buckets: readonly string[],
  paint: Paint,
): string {
  const own = hosts.filter((host) => !host.endsWith('localhost'));
  return [
    `${paint.strong('The front')}: https${shared ? ', and a cache for everybody' : ''}; http at port ${plainPort} is sent there with 301`,
    ...buckets.map((bucket) => `  ${paint.strong(`https://${bucket}.localhost:${port}/`)}`),
    ...(own.length > 0
      ? [`  ${paint.soft(`and as ${own.join(', ')}, where these names lead to this machine`)}`]
      : []),
    ...(shared ? [`  ${paint.soft('Cache-Status in each answer says what the cache did (RFC 9211)')}`] : []),
  ].join('\n');
}

/** Nothing of this is done by itself. */
export function formatTrust({ authority }: Front, paint: Paint): string {
  const { path, names } = authority;
  const lines = [
    paint.strong('To have a browser trust it'),
    `  Chromium:  certutil -d sql:$HOME/.pki/nssdb -A -t C,, -n fenestra -i ${path}`,
    `  Debian:    cp ${path} /usr/local/share/ca-certificates/fenestra.crt && update-ca-certificates`,
    `  Node.js:   NODE_EXTRA_CA_CERTS=${path}`,
    `  curl:      curl --cacert ${path}`,
    paint.soft(
      wrapLines(
        `The authority was made for this machine and can speak for names below ${names.join(', ')} and for this machine alone; its key lies beside it, readable by its owner. To end it, remove what was added, and both files.`,
        paint.width,
      ),
    ),
  ];
  return lines.join('\n');
}

export const formatFrontServed = (
  served: { readonly method: string; readonly url: string; readonly status: number; readonly cache: string },
  paint: Paint,
): string => {
  const { method, url, status, cache } = served;
  const what = cache.replace(/^fenestra; /, '');
  return `${paint.soft('front')}  ${status < 400 ? paint.good(String(status)) : paint.bad(String(status))} ${method} ${visible(url)}  ${what.startsWith('hit') ? paint.good(what) : paint.soft(what)}`;
};

/** What of the visits reaches the bucket. */
export function formatFrontVisits(
  visits: readonly Visit[],
  { visits: counts, next }: FrontVisits,
  paint: Paint,
): string {
  const row = (label: string, { requests, reached, confirmed, bytes }: FrontCount): string[] => [
    label,
    formatCount(requests),
    reached === 0 ? paint.good('0') : formatCount(reached),
    formatCount(confirmed),
    formatBytes(bytes),
  ];
  const head = ['with a front', 'requests', 'reach the bucket', 'only 304', 'bytes of the bucket'];
  return columns(
    [
      head.map(paint.soft),
      ...visits.map((visit, at) => row(visitLabel(visit), counts[at] ?? next)),
      row("somebody else's first", next),
    ],
    [1, 2, 3, 4],
    paint.width,
  );
}
