/** An address as somebody types it: a path, or a whole URL. */
import { FenestraError } from '../../core/errors/catalogue.js';
import { looksLikeHost, publicUrl } from '../../core/words/public-url.js';
import { parseKey } from '../../core/site/key.js';

/** A host as a whole address: only this machine answers without TLS as a rule. */
const wholeAddress = (host: string): string =>
  `${/\.localhost(?::|\/|$)|:\d+(?:\/|$)/i.test(host) ? 'http' : 'https'}://${host}${host.includes('/') ? '' : '/'}`;

/** A web address. @throws FenestraError URL_INVALID */
export function readUrl(text: string): URL {
  let url: URL;
  try {
    url = new URL(text);
  } catch (error) {
    if (looksLikeHost(text)) throw new FenestraError('URL_BARE', { address: text, root: wholeAddress(text) });
    throw new FenestraError('URL_INVALID', { url: text, reason: 'it does not parse as one' }, error);
  }
  if (url.protocol !== 'http:' && url.protocol !== 'https:')
    throw new FenestraError('URL_INVALID', { url: text, reason: `it begins with ${url.protocol}` });
  return url;
}

/**
 * An endpoint to ask: the root of a host, or a path below which a store serves a bucket.
 * @param place the path that the site's own address has
 * @throws FenestraError URL_INVALID
 */
export function readEndpoint(text: string, place = '/'): URL {
  const url = readUrl(text);
  const isPlace = url.pathname === place || /^(?:\/[\w.~-]+){2,}\/$/.test(url.pathname);
  if ((url.pathname !== '/' && !isPlace) || url.search !== '' || url.hash !== '')
    throw new FenestraError('URL_INVALID', {
      url: publicUrl(url).href,
      reason: `a bucket answers at the root of its host, and this is a place below it; the root is ${publicUrl(new URL('/', url)).href}`,
    });
  return url;
}

export interface TraceTarget {
  /** The request target. */
  readonly target: string;
  /** The whole address, where one was given. */
  readonly url: URL | undefined;
}

/** @throws FenestraError URL_INVALID */
export function readTraceRequest(address: string): TraceTarget {
  if (looksLikeHost(address)) throw new FenestraError('URL_BARE', { address, root: wholeAddress(address) });
  const url = /^https?:\/\//i.test(address) ? readUrl(address) : undefined;
  const target = url ? targetOf(url, address) : address.startsWith('/') ? address : `/${address}`;
  return { target: encodeBare(target), url };
}

/** The path as typed, since parsing a URL would take its dot segments away. */
const targetOf = (url: URL, typed: string): string =>
  /^https?:\/\/[^/?#]*([/?][^#]*)/i.exec(typed)?.[1]?.replace(/^\?/, '/?') ?? url.pathname;

/** Letters that a shell lets one type and that a browser would percent-encode. */
const encodeBare = (target: string): string =>
  parseKey(target).fault === undefined
    ? target.replace(/[^\x21-\x7e]+/g, (letters) => encodeURIComponent(letters))
    : target;
