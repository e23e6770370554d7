/** Fragments of addresses, and the anchors that they lead to. */

/** The fragment that has to be there; undefined for those that always lead somewhere or that scripts make sense of. */
export function fragmentOf(raw: string): string | undefined {
  const text = raw.slice(raw.indexOf('#') + 1);
  if (text === '' || /^(?:top$|:~:|[!/])/i.test(text)) return undefined;
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}

/** FNV-1a over UTF-16 units: anchors of ten thousand pages are kept as numbers. */
export function hashOf(text: string): number {
  let hash = 0x811c9dc5;
  for (let at = 0; at < text.length; at++) hash = Math.imul(hash ^ text.charCodeAt(at), 0x01000193);
  return hash >>> 0;
}
