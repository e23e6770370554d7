/** The grammar of Cache-Control (RFC 9111 section 5.2): read and written, nothing interpreted. */

export interface CacheDirective {
  /** Lower case. */
  readonly name: string;
  /** Without quotes; undefined when the directive has no argument. */
  readonly value?: string;
  /** Whether the argument was written in quotes. */
  readonly quoted?: true;
}

const TOKEN = /^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/;

/**
 * Parses a header value into its directives, in order, repeated and unknown ones kept.
 * What is not a directive is passed over, as caches do. Never throws.
 */
export function parseCacheControl(header: string): CacheDirective[] {
  const directives: CacheDirective[] = [];
  let at = 0;
  while (at < header.length) {
    const end = endOfMember(header, at);
    const directive = parseMember(header.slice(at, end).trim());
    if (directive) directives.push(directive);
    at = end + 1;
  }
  return directives;
}

function endOfMember(text: string, from: number): number {
  let quoted = false;
  for (let at = from; at < text.length; at++) {
    if (quoted && text[at] === '\\') at++;
    else if (text[at] === '"') quoted = !quoted;
    else if (text[at] === ',' && !quoted) return at;
  }
  return text.length;
}

function parseMember(member: string): CacheDirective | undefined {
  const equals = member.indexOf('=');
  // With a blank before the sign it is no directive, for browsers neither.
  const name = (equals < 0 ? member : member.slice(0, equals)).toLowerCase();
  if (!TOKEN.test(name)) return undefined;
  if (equals < 0) return { name };
  const raw = member.slice(equals + 1).trim();
  if (raw.startsWith('"')) {
    const inner = /^"((?:[^"\\]|\\[\s\S])*)"$/.exec(raw)?.[1];
    return inner === undefined
      ? undefined
      : { name, value: inner.replace(/\\([\s\S])/g, '$1'), quoted: true };
  }
  return TOKEN.test(raw) ? { name, value: raw } : undefined;
}

/** Directives whose argument RFC 9111 asks senders to quote: they list field names. */
const QUOTED = new Set(['no-cache', 'private']);

/** Formats directives canonically: comma and space between, arguments quoted only where the grammar asks for it. */
export const formatCacheControl = (directives: readonly CacheDirective[]): string =>
  directives.map(formatDirective).join(', ');

function formatDirective({ name, value, quoted }: CacheDirective): string {
  if (value === undefined) return name;
  if (TOKEN.test(value) && !quoted && !QUOTED.has(name)) return `${name}=${value}`;
  return `${name}="${value.replace(/["\\]/g, '\\$&')}"`;
}

/**
 * The delta-seconds argument of a directive, the first where it is repeated; undefined when it is absent, not a number
 * (RFC 9111 section 1.2.2), or in quotes, which section 5.2 allows and browsers do not read.
 */
export function deltaSeconds(directives: readonly CacheDirective[], name: string): number | undefined {
  const { value, quoted } = directives.find((directive) => directive.name === name) ?? {};
  return value !== undefined && !quoted && /^\d+$/.test(value)
    ? Math.min(Number(value), 2_147_483_648)
    : undefined;
}

export const hasDirective = (directives: readonly CacheDirective[], name: string): boolean =>
  directives.some((directive) => directive.name === name);
