/** Hosts that send their visitors on to the site's own name, path and query kept. */
import type { WebRequest } from './answer.js';
import type { MovedHosts } from './bucket-view.js';

/** Where a request is sent on to; undefined where its host is the site's own. @param rest path and query, as they came */
export function resolveMovedHost(
  { headers, secure = false }: WebRequest,
  moved: MovedHosts | undefined,
  rest: string,
): { readonly host: string; readonly location: string } | undefined {
  if (!moved) return undefined;
  const given = headers['host'];
  const [, host = '', port = ''] =
    /^(.*?)\.?(:\d+)?$/.exec(typeof given === 'string' ? given.toLowerCase() : '') ?? [];
  if (!moved.hosts.includes(host)) return undefined;
  // Where a port was asked, as on the emulation, the site is at the same one.
  const origin = port === '' ? moved.to : moved.to.replace(/^https?:/, secure ? 'https:' : 'http:') + port;
  return { host, location: origin + rest };
}
