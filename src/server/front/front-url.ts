/** The address that a request to the front names. */

export interface FrontUrl {
  /** As its cache knows it: scheme, host and target. */
  readonly href: string;
  /** With its port, as it came. */
  readonly host: string;
}

/**
 * The authority of an absolute target counts before that of the request (RFC 9112 section 3.2.2); default ports are not
 * written (RFC 9110 section 4.2.3), and the host's letters do not count.
 * @returns undefined where the target is neither a path nor an address; `*` is the root
 */
export function readFrontUrl(authority: string, target: string): FrontUrl | undefined {
  let [host, path] = [authority, target];
  if (target === '*') path = '/';
  else if (!target.startsWith('/')) {
    const [whole, named = ''] = /^https?:\/\/([^/?#]*)/i.exec(target) ?? [];
    if (whole === undefined || named === '') return undefined;
    host = named;
    const rest = target.slice(whole.length).split('#', 1)[0] ?? '';
    path = rest.startsWith('/') ? rest : `/${rest}`;
  }
  return { href: `https://${host.toLowerCase().replace(/\.?(?::443)?$/, '')}${path}`, host };
}
