/** An address that a browser would ask somebody for, without its fragment. */
export function parseAddress(raw: string, base: string): string | undefined {
  if (raw === '') return undefined;
  let url: URL;
  try {
    url = new URL(raw, base);
  } catch {
    return undefined;
  }
  if (url.protocol !== 'http:' && url.protocol !== 'https:') return undefined;
  url.hash = '';
  return url.href;
}
