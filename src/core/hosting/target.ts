/** Request targets (RFC 9112 section 3.2): to a path, a key and a query. */

export const MAX_TARGET = 8192;

export interface Target {
  /** As it came, percent-encoded, without the query; starts with a slash. */
  readonly rawPath: string;
  /** Decoded; starts with a slash. Dot segments, double slashes and plus signs are kept as they are. */
  readonly path: string;
  /** With its question mark; '' when there is none. */
  readonly query: string;
}

export type TargetResult = Target | { readonly status: 400 | 412 | 414; readonly because: string };

export interface TargetForm {
  /** Takes a percent sign that escapes nothing as one, instead of refusing the address. */
  readonly asWritten?: boolean;
  /** Takes letters in whatever way they are composed for those of keys, which are in form NFC. */
  readonly composed?: boolean;
  /** Takes a whole address for a path. */
  readonly whole?: boolean;
}

export function parseTarget(
  target: string,
  { asWritten = false, composed = false, whole = false }: TargetForm = {},
): TargetResult {
  if (target.length > MAX_TARGET)
    return { status: 414, because: `the address is ${target.length} bytes long; ${MAX_TARGET} are the most` };
  let rest = target;
  if (!rest.startsWith('/')) {
    const absolute = /^https?:\/\/[^/?#]*([^#]*)/i.exec(rest);
    if (!absolute)
      return rest === '*'
        ? { rawPath: '*', path: '*', query: '' }
        : { status: 400, because: 'the request target is neither a path nor an address' };
    if (!whole) rest = absolute[1] ?? '';
    if (!rest.startsWith('/')) rest = `/${rest}`;
  }
  const hash = rest.indexOf('#');
  if (hash >= 0) rest = rest.slice(0, hash);
  const mark = rest.indexOf('?');
  const rawPath = mark < 0 ? rest : rest.slice(0, mark);
  const query = mark < 0 ? '' : rest.slice(mark);
  const decoded = decodePath(asWritten ? rawPath.replace(/%(?![0-9A-Fa-f]{2})/g, '%25') : rawPath);
  const path = composed && decoded !== undefined && !ASCII.test(decoded) ? decoded.normalize('NFC') : decoded;
  if (path === undefined)
    return {
      status: asWritten ? 412 : 400,
      because: 'the address has a percent sign or bytes that do not decode as UTF-8',
    };
  return { rawPath, path, query };
}

/** Percent-decoded as UTF-8; undefined when malformed, or when it holds control characters, which no key has. */
function decodePath(raw: string): string | undefined {
  let path = raw;
  if (raw.includes('%')) {
    try {
      path = decodeURIComponent(raw);
    } catch {
      return undefined;
    }
  }

  if (/[\u0000-\u001f\u007f]/.test(path)) return undefined;
  return path;
}

const ASCII = /^[\u0000-\u007f]*$/;
