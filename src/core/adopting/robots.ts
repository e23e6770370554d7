/** What a site asks of programs that go through it (RFC 9309). */
import { matchName } from '../assign/glob.js';
import { escapePattern } from '../assign/pattern.js';

export interface Robots {
  /** @param target a path, with its query */
  readonly mayAsk: (target: string) => boolean;
  /** Addresses of sitemaps, as written. */
  readonly sitemaps: readonly string[];
}

interface RobotsLine {
  readonly allow: boolean;
  readonly length: number;
  readonly matches: (target: string) => boolean;
}

/** More of a file is not read (RFC 9309 section 2.5). Characters. */
const MAX_FILE = 512 * 1024;
const MAX_LINES = 2000;
const MAX_PATTERN = 2000;
const MAX_SITEMAPS = 50;

export const EVERYTHING: Robots = { mayAsk: () => true, sitemaps: [] };
export const NOTHING: Robots = { mayAsk: () => false, sitemaps: [] };

/** @param agent in lower case */
export function parseRobots(text: string, agent: string): Robots {
  const sitemaps: string[] = [];
  const groups = new Map<string, RobotsLine[]>();
  let named: string[] = [];
  let isNaming = false;
  let lines = 0;
  for (const raw of text.slice(0, MAX_FILE).split(/\r\n?|\n/)) {
    if (++lines > MAX_LINES) break;
    const line = raw.replace(/#.*/, '');
    const colon = line.indexOf(':');
    if (colon < 0) continue;
    const name = line.slice(0, colon).trim().toLowerCase();
    const value = line.slice(colon + 1).trim();
    if (name === 'sitemap' && sitemaps.length < MAX_SITEMAPS) sitemaps.push(value);
    else if (name === 'user-agent') {
      named = isNaming ? [...named, value.toLowerCase()] : [value.toLowerCase()];
      isNaming = true;
      for (const each of named) groups.set(each, groups.get(each) ?? []);
    } else if (name === 'allow' || name === 'disallow') {
      isNaming = false;
      const rule =
        value === '' || value.length > MAX_PATTERN ? undefined : parseRule(name === 'allow', value);
      if (rule) for (const each of new Set(named)) groups.get(each)?.push(rule);
    }
  }
  const own = groups.get(agent) ?? groups.get('*') ?? [];
  return { sitemaps, mayAsk: (target) => decide(own, target) };
}

function parseRule(allow: boolean, value: string): RobotsLine {
  const isWhole = value.endsWith('$');
  const parts = (isWhole ? value.slice(0, -1) : value).split('*').map((part) => escapePattern(plain(part)));
  // A target is one text here, in which a slash is like any other character.
  const matches = matchName(parts.join('*') + (isWhole ? '' : '*'));
  return { allow, length: value.length, matches };
}

/** The longest decides; of two as long as each other, the one that allows. */
function decide(lines: readonly RobotsLine[], target: string): boolean {
  const asked = plain(target.slice(0, MAX_PATTERN));
  let best: RobotsLine | undefined;
  for (const line of lines)
    if (!best || line.length > best.length || (line.length === best.length && line.allow))
      if (line.matches(asked)) best = line;
  return best?.allow ?? true;
}

/** Every octet in one way of writing. */
function plain(text: string): string {
  try {
    return encodeURI(decodeURI(text));
  } catch {
    return text;
  }
}
