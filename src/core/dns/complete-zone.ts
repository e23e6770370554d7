/** A zone file completed with what the names of a site need: lines of others stay as they are, letter by letter. */
import { isWithin, withDot } from './domain-name.js';
import type { RequiredRecords } from './required-records.js';
import type { NameRecord } from './record.js';
import { formatRecord, type Zone, type ZoneFault, type ZoneRecord } from './zone-file.js';
import { raiseSerial } from './zone-serial.js';

export interface ZoneChange {
  readonly change: 'add' | 'replace' | 'remove' | 'keep';
  readonly record: NameRecord;
  /** Lines of the file that it takes the place of; counts from 1. */
  readonly lines: readonly number[];
}

export interface CompletedZone {
  readonly text: string;
  readonly changes: readonly ZoneChange[];
}

const PLACING = new Set(['A', 'AAAA', 'CNAME', 'DNAME']);
/** What servers themselves put beside a CNAME. */
const BESIDE_ALIAS = new Set(['RRSIG', 'NSEC']);
/** What a signer has put in, and puts in anew. */
const SIGNED = new Set(['RRSIG', 'NSEC', 'NSEC3', 'NSEC3PARAM']);
/** Service bindings may name addresses themselves (RFC 9460 section 7.3). */
const BINDINGS = new Set(['HTTPS', 'SVCB']);
const HINT = / ipv[46]hint=(\S*)/g;

/** The type of what stands at a name in a zone beside what leads it somewhere; no alias may stand there then. */
export const occupantOf = ({ records }: Zone, name: string): string | undefined =>
  records.find(
    (record) => record.name === name && !PLACING.has(record.type) && !BESIDE_ALIAS.has(record.type),
  )?.type;

interface Compared {
  readonly kept: readonly NameRecord[];
  readonly missing: readonly NameRecord[];
  readonly wrong: readonly ZoneRecord[];
}

/** What of a need a zone has, lacks, and has otherwise. */
function compareNeed({ records }: Zone, { name, ways }: RequiredRecords): Compared {
  const wanted = ways[0]?.records ?? [];
  const own = records.filter((record) => record.name === name && PLACING.has(record.type));
  const isAmong = (list: readonly NameRecord[], { type, data }: NameRecord): boolean =>
    list.some((record) => record.type === type && record.data === data);
  if (wanted.length === 0) return { kept: [], missing: [], wrong: [] };
  const addresses = new Set(wanted.map(({ data }) => data));
  // Visitors take an address that a binding hints at before they have asked for any other.
  const misleading = records.filter(
    (record) =>
      record.name === name &&
      BINDINGS.has(record.type) &&
      [...record.data.matchAll(HINT)].some(([, hints = '']) =>
        hints
          .replaceAll('"', '')
          .split(',')
          .some((address) => !addresses.has(address)),
      ),
  );
  return {
    kept: wanted.filter((record) => isAmong(own, record)),
    missing: [
      ...wanted.filter((record) => !isAmong(own, record)),
      ...misleading.map((record) => ({ ...alone(record), data: record.data.replace(HINT, '') })),
    ],
    wrong: [...own.filter((record) => !isAmong(wanted, record)), ...misleading],
  };
}

const needsWithin = ({ apex }: Zone, needs: readonly RequiredRecords[]): RequiredRecords[] =>
  needs.filter(({ name }) => isWithin(name, apex));

const alone = ({ name, type, ttl, data }: ZoneRecord): NameRecord => ({ name, type, ttl, data });

const linesOf = ({ line, lastLine }: ZoneRecord): number[] =>
  Array.from({ length: lastLine - line + 1 }, (_, at) => line + at);

/** What has to change in a zone. @param needs of names that are in it */
export function compareZone(zone: Zone, needs: readonly RequiredRecords[]): ZoneChange[] {
  return needsWithin(zone, needs).flatMap((need): ZoneChange[] => {
    const { kept, missing, wrong } = compareNeed(zone, need);
    const stays = kept.map((record) => ({ change: 'keep' as const, record, lines: [] }));
    const goes = wrong.flatMap(linesOf);
    if (missing.length === 0)
      return [
        ...stays,
        ...wrong.map((each) => ({ change: 'remove' as const, record: alone(each), lines: linesOf(each) })),
      ];
    return [
      ...stays,
      ...missing.map((record, at) =>
        at === 0 && goes.length > 0
          ? { change: 'replace' as const, record, lines: goes }
          : { change: 'add' as const, record, lines: [] },
      ),
    ];
  });
}

/**
 * Lines that are replaced stay as comments, and what takes their place stands right there: a record after them may be
 * of the name, or have the TTL, of the one before it.
 * @param text the file as it was given
 * @param now milliseconds since the epoch, of which the serial may tell
 */
export function completeZone(
  text: string,
  zone: Zone,
  needs: readonly RequiredRecords[],
  now: number,
): CompletedZone {
  const lines = text.replace(/\r?\n$/, '').split('\n');
  // New lines end as the others do.
  const ended = (line: string): string => (text.includes('\r\n') ? `${line}\r` : line);
  const gone = new Map<ZoneRecord, Compared>();
  const added: string[] = [];
  for (const need of needsWithin(zone, needs)) {
    const compared = compareNeed(zone, need);
    for (const record of compared.wrong) gone.set(record, compared);
    if (compared.wrong.length === 0)
      added.push(...compared.missing.map((record) => `${formatRecord(record, '')} ; added`));
  }
  const changes = compareZone(zone, needs);
  if (changes.every(({ change }) => change === 'keep')) return { text, changes };
  for (const record of zone.records)
    if (SIGNED.has(record.type))
      gone.set(record, { kept: staying(zone, record, gone), missing: [], wrong: [record] });
  const soa = zone.records.find(({ type, name }) => type === 'SOA' && name === zone.apex);
  if (soa) raiseSerial(lines, soa, now);
  // From the end on, so that the numbers of the lines before stay true.
  for (let end = zone.records.length; end > 0;) {
    let from = end;
    while (from > 0 && gone.has(zone.records[from - 1] as ZoneRecord)) from--;
    const run = zone.records.slice(from, end);
    if (run.length > 0)
      lines.splice(
        run.at(-1)?.lastLine ?? 0,
        0,
        ...replaceRun(lines, run, zone.records[end], gone).map(ended),
      );
    end = from - 1;
  }
  const more = (added.length === 0 ? [] : ['', '; what the site needs', ...added]).map(ended);
  // The last line of a file may have had no end.
  const [last = ''] = lines.splice(-1, 1);
  const all = [...lines, ended(last.replace(/\r$/, '')), ...more];
  return { text: `${all.join('\n')}\n`, changes };
}

/** What stays of the name of a record. */
const staying = (
  { records }: Zone,
  { name }: ZoneRecord,
  gone: ReadonlyMap<ZoneRecord, Compared>,
): NameRecord[] =>
  records
    .filter((record) => record.name === name && !SIGNED.has(record.type) && !gone.has(record))
    .map(alone);

/** What a zone that was completed still needs of whoever keeps it. */
export function listZoneTasks(zone: Zone, needs: readonly RequiredRecords[]): ZoneFault[] {
  const tasks: ZoneFault[] = [];
  const signed = zone.records.find(({ type }) => SIGNED.has(type));
  if (signed && compareZone(zone, needs).some(({ change }) => change !== 'keep'))
    tasks.push({
      line: signed.line,
      what: `the zone is signed, and its ${signed.type} and the like are of what it said before: they are left out`,
      fix: 'Sign the zone anew before it is served; until then the parent may have no DS for it.',
    });
  for (const { name, ways, bucketHost } of needsWithin(zone, needs)) {
    const own = zone.records.find((record) => record.name === name && PLACING.has(record.type));
    if (own && (ways[0]?.records ?? []).length === 0)
      tasks.push({
        line: own.line,
        what: `${withDot(name)} leads to ${own.data} and stays as it is: the addresses of ${bucketHost} are not known`,
        fix: `Ask again where ${bucketHost} can be looked up, so that its addresses can be written in.`,
      });
  }
  return tasks;
}

/**
 * Makes comments of the lines of records that go, with none between that stays.
 * @param next what comes after them
 * @returns the lines that take their place
 */
function replaceRun(
  lines: string[],
  run: readonly ZoneRecord[],
  next: ZoneRecord | undefined,
  gone: ReadonlyMap<ZoneRecord, Compared>,
): string[] {
  const begun = run.filter((record) => gone.get(record)?.wrong[0] === record);
  let here = begun.flatMap((record) => gone.get(record)?.missing ?? []);
  const [last] = run.slice(-1);
  if (next && last && (next.isContinued || next.hasTtlBefore)) {
    const { missing = [], kept = [] } = gone.get(last) ?? {};
    const before = here.findLast(({ name }) => name === last.name) ?? missing[0] ?? kept[0] ?? last;
    here = [...here.filter((record) => record !== before), before];
    if (next.hasTtlBefore) here.splice(-1, 1, { ...before, ttl: next.ttl });
  }
  for (const record of run)
    for (let at = record.line - 1; at < record.lastLine; at++) lines[at] = `; was: ${lines[at] ?? ''}`;
  return here.map((each) => `${formatRecord(each, '')} ; in place of it`);
}

/** A zone file of the records alone, ready to be imported beside what the provider itself puts in. */
export function renderZone(apex: string, needs: readonly RequiredRecords[], ttl: number): string {
  const own = needs.filter(({ zone }) => zone === apex);
  const records = own.flatMap(({ ways }) => ways.flatMap((way) => way.records));
  const width = Math.max(
    1,
    ...records.map(({ name }) => (name === apex ? 1 : name.length - apex.length - 1)),
  );
  return [
    `; the records that the site needs in the zone ${withDot(apex)}`,
    `; the SOA and NS records of the zone are the provider's own`,
    `$ORIGIN ${withDot(apex)}`,
    `$TTL ${ttl}`,
    ...own.flatMap(({ ways }) =>
      ways.flatMap(({ because, records: given }) => [
        `; ${because}`,
        ...given.map((record) => formatRecord(record, apex, width)),
      ]),
    ),
    '',
  ].join('\n');
}
