/** Zones in the form of master files (RFC 1035 section 5): read with what servers would refuse in them, and written. */
import { isWithin, toName, withDot } from './domain-name.js';
import { NAMING, type NameRecord } from './record.js';

export interface ZoneFault {
  /** Counts from 1. */
  readonly line: number;
  readonly what: string;
  readonly fix: string;
}

export interface Zone {
  /** Its apex: the owner of its SOA, else the origin that was given. */
  readonly apex: string;
  readonly records: readonly ZoneRecord[];
  readonly faults: readonly ZoneFault[];
}

export interface ZoneRecord extends NameRecord {
  /** Its first line and its last. Count from 1. */
  readonly line: number;
  readonly lastLine: number;
  /** Whether the record before it says its name; and whether it says its TTL. */
  readonly isContinued: boolean;
  readonly hasTtlBefore: boolean;
}

interface Token {
  readonly text: string;
  readonly isQuoted: boolean;
}

interface Entry {
  readonly line: number;
  readonly lastLine: number;
  /** Whether it begins with white space, so that it is of the name before. */
  readonly isContinued: boolean;
  readonly tokens: readonly Token[];
}

const CLASS = /^(?:IN|CH|HS|CS)$/i;
const TYPE = /^(?:[A-Z][A-Z0-9-]*|TYPE\d+)$/i;
const UNITS: Readonly<Record<string, number>> = { s: 1, m: 60, h: 3600, d: 86_400, w: 604_800 };

/** Seconds; `1h30m` as servers read it. Undefined where it is no time. */
export function parseTtl(text: string): number | undefined {
  if (/^\d{1,10}$/.test(text)) return Number(text) < 2 ** 31 ? Number(text) : undefined;
  if (!/^(?:\d{1,9}[smhdw])+$/i.test(text)) return undefined;
  let seconds = 0;
  for (const [, number = '', unit = ''] of text.matchAll(/(\d{1,9})([smhdw])/gi))
    seconds += Number(number) * (UNITS[unit.toLowerCase()] ?? 1);
  return seconds < 2 ** 31 ? seconds : undefined;
}

/** Lines as entries: comments left out, what parentheses hold on one line. */
function* listEntries(text: string, faults: ZoneFault[]): Generator<Entry> {
  let tokens: Token[] = [];
  let [line, begun, depth] = [1, 1, 0];
  let isContinued = false;
  let word = '';
  let inWord = false;
  const endWord = (isQuoted = false): void => {
    if (inWord) tokens.push({ text: word, isQuoted });
    [word, inWord] = ['', false];
  };
  for (let at = 0; at <= text.length; at++) {
    const character = text[at] ?? '\n';
    if (tokens.length === 0 && !inWord && depth === 0 && (at === 0 || text[at - 1] === '\n')) {
      begun = line;
      isContinued = character === ' ' || character === '\t';
    }
    if (character === ';') {
      endWord();
      while (at + 1 < text.length && text[at + 1] !== '\n') at++;
    } else if (character === '"') {
      endWord();
      const from = line;
      inWord = true;
      for (at++; at < text.length && text[at] !== '"'; at++) {
        if (text[at] === '\\') word += text[at++] ?? '';
        if (text[at] === '\n') line++;
        word += text[at] ?? '';
      }
      if (at >= text.length)
        faults.push({ line: from, what: 'a quoted text is never closed', fix: 'Close it with ".' });
      endWord(true);
    } else if (character === '(' || character === ')') {
      endWord();
      depth += character === '(' ? 1 : -1;
      if (depth < 0) {
        faults.push({ line, what: 'a ) has no ( before it', fix: 'Take it out.' });
        depth = 0;
      }
    } else if (character === '\n') {
      endWord();
      line++;
      if (depth > 0 && at < text.length) continue;
      if (depth > 0) faults.push({ line: begun, what: 'a ( is never closed', fix: 'Close it with ).' });
      if (tokens.length > 0) yield { line: begun, lastLine: line - 1, isContinued, tokens };
      tokens = [];
      depth = 0;
    } else if (character === ' ' || character === '\t' || character === '\r') endWord();
    else {
      if (character === '\\') word += text[at++] ?? '';
      if (text[at] === '\n') line++;
      word += text[at] ?? '';
      inWord = true;
    }
  }
}

/** @param origin the zone's name, where the file does not say it */
export function parseZone(text: string, origin: string | undefined): Zone {
  const faults: ZoneFault[] = [];
  const records: ZoneRecord[] = [];
  let current = origin;
  let owner: string | undefined;
  let defaultTtl: number | undefined;
  let lastTtl: number | undefined;
  const absolute = (name: string, line: number): string => {
    if (name.endsWith('.')) return toName(name);
    if (current === undefined) {
      faults.push({
        line,
        what: `${name} is relative, and nothing says to what`,
        fix: 'Begin the file with $ORIGIN and the name of the zone, with a dot at its end, or give --zone NAME.',
      });
      current = '';
    }
    if (name === '@') return current;
    return current === '' ? toName(name) : toName(`${name}.${current}`);
  };
  for (const { line, lastLine, isContinued, tokens } of listEntries(text, faults)) {
    const words = [...tokens];
    const directive = words[0]?.text.toUpperCase();
    if (directive?.startsWith('$') && !isContinued) {
      const value = words[1]?.text ?? '';
      const ttl = parseTtl(value);
      if (directive === '$ORIGIN') current = absolute(value, line);
      else if (directive === '$TTL' && ttl !== undefined) defaultTtl = ttl;
      else
        faults.push({
          line,
          what: `${words.map((word) => word.text).join(' ')} is not read`,
          fix: 'Write $ORIGIN NAME. or $TTL SECONDS; what an $INCLUDE holds goes into the file itself.',
        });
      continue;
    }
    if (!isContinued) owner = absolute(words.shift()?.text ?? '@', line);
    if (owner === undefined) {
      faults.push({ line, what: 'the first record has no name', fix: 'Write @ for the zone itself.' });
      continue;
    }
    let ttl: number | undefined;
    for (let word = words[0]; word; word = words[0]) {
      const time = ttl === undefined && !word.isQuoted ? parseTtl(word.text) : undefined;
      if (time !== undefined) ttl = time;
      else if (!CLASS.test(word.text)) break;
      words.shift();
    }
    const type = words.shift();
    if (!type || !TYPE.test(type.text) || words.length === 0) {
      faults.push({
        line,
        what: `${[type, ...words].map((word) => word?.text ?? '').join(' ')} is no record`,
        fix: 'A record has a name, a TTL, a type and what it says, such as: www 3600 IN CNAME host.example.',
      });
      continue;
    }
    const kind = type.text.toUpperCase();
    const data = formatData(kind, words, (name) => absolute(name, line));
    // Without a TTL of its own a record has that of $TTL, else that of the record before (RFC 2308 section 4).
    const hasTtlBefore = ttl === undefined && defaultTtl === undefined && lastTtl !== undefined;
    ttl ??= defaultTtl ?? lastTtl ?? (kind === 'SOA' ? Number(words[6]?.text ?? 3600) : 3600);
    lastTtl = ttl;
    records.push({ name: owner, type: kind, ttl, data, line, lastLine, isContinued, hasTtlBefore });
  }
  const apex = records.find(({ type }) => type === 'SOA')?.name ?? origin ?? current ?? '';
  return { apex, records, faults: [...faults, ...listFaults(apex, records)] };
}

function formatData(type: string, words: readonly Token[], absolute: (name: string) => string): string {
  const texts = words.map(({ text, isQuoted }) => (isQuoted ? `"${text}"` : text));
  const named = (at: number): void => {
    const word = texts[at];
    if (word !== undefined) texts[at] = withDot(absolute(word));
  };
  if (NAMING.has(type)) named(0);
  else if (type === 'MX') named(1);
  else if (type === 'SRV') named(3);
  else if (type === 'HTTPS' || type === 'SVCB') {
    if (texts[1] !== '.') named(1);
  } else if (type === 'SOA') [0, 1].forEach(named);
  else if (type === 'AAAA' || type === 'DS') texts.forEach((text, at) => (texts[at] = text.toLowerCase()));
  return texts.join(' ');
}

/** What servers refuse, often the whole zone because of it. */
function listFaults(apex: string, records: readonly ZoneRecord[]): ZoneFault[] {
  const faults: ZoneFault[] = [];
  const byName = new Map<string, ZoneRecord[]>();
  for (const record of records) {
    const own = byName.get(record.name);
    if (own) own.push(record);
    else byName.set(record.name, [record]);
    if (!isWithin(record.name, apex))
      faults.push({
        line: record.line,
        what: `${withDot(record.name)} lies outside the zone ${withDot(apex)}`,
        fix: 'A name without a dot at its end is taken below the origin; take the record out, or mend the name.',
      });
    if (record.type === 'SOA' && record.name !== apex)
      faults.push({ line: record.line, what: 'a second SOA', fix: 'A zone has one, at its apex.' });
  }
  for (const [name, own] of byName) {
    const cname = own.find(({ type }) => type === 'CNAME');
    if (!cname) continue;
    // Servers take one that is written twice as one.
    const other = own.find(
      ({ type, data }) => !(type === 'CNAME' && data === cname.data) && type !== 'RRSIG' && type !== 'NSEC',
    );
    if (name === apex)
      faults.push({
        line: cname.line,
        what: `a CNAME at the apex ${withDot(apex)}, beside its SOA and NS: servers refuse the whole zone, and every name in it answers SERVFAIL`,
        fix: 'Give the apex addresses (A, AAAA) or an HTTPS record in alias mode; RFC 1034 section 3.6.2.',
      });
    else if (other)
      faults.push({
        line: cname.line,
        what: `a CNAME for ${withDot(name)} beside ${other.type}: servers refuse the whole zone`,
        fix: 'A name with a CNAME has nothing else; RFC 1034 section 3.6.2. Take one of them out.',
      });
  }
  const soas = records.filter(({ type }) => type === 'SOA');
  if (soas.length > 0 && !records.some(({ type, name }) => type === 'NS' && name === apex))
    faults.push({
      line: soas[0]?.line ?? 1,
      what: 'the zone has no NS record at its apex',
      fix: `Name its servers: @ IN NS ns1.provider.example.`,
    });
  return faults;
}

/** A record as a line of a master file, its name relative to the zone. */
export function formatRecord({ name, ttl, type, data }: NameRecord, apex: string, width = 0): string {
  const relative =
    name === apex
      ? '@'
      : isWithin(name, apex) && apex !== ''
        ? name.slice(0, -apex.length - 1)
        : withDot(name);
  return `${relative.padEnd(width)} ${ttl} IN ${type} ${data}`;
}
