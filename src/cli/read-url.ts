import { FenestraError } from '../core/errors/catalogue.js';

/** A web address from the command line. @throws FenestraError URL_INVALID */
export function readUrl(text: string): URL {
  let url: URL;
  try {
    url = new URL(text);
  } catch (error) {
    throw new FenestraError('URL_INVALID', { url: text, reason: 'it does not parse as one' }, error);
  }
  if (url.protocol !== 'http:' && url.protocol !== 'https:')
    throw new FenestraError('URL_INVALID', { url: text, reason: `it begins with ${url.protocol}` });
  return url;
}
