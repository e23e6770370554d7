/** A zone file completed with what the names of a site need: lines of others stay as they are, letter by letter. */
import { isWithin, withDot } from './domain-name.js';
import type { NameNeed } from './need.js';
import type { NameRecord } from './record.js';
import { formatRecord, type Zone } from './zone-file.js';

export interface ZoneChange {
  readonly change: 'add' | 'replace' | 'keep';
  readonly record: NameRecord;
  /** Lines of the file that it takes the place of; counts from 1. */
  readonly lines: readonly number[];
}

export interface CompletedZone {
  readonly text: string;
  readonly changes: readonly ZoneChange[];
}

const PLACING = new Set(['A', 'AAAA', 'CNAME', 'DNAME']);

/** What has to change in a zone. @param needs of names that are in it */
export function compareZone({ apex, records }: Zone, needs: readonly NameNeed[]): ZoneChange[] {
  return needs
    .filter(({ name }) => isWithin(name, apex))
    .flatMap(({ name, ways }) => {
      const [way] = ways;
      const wanted = way?.records ?? [];
      const own = records.filter((record) => record.name === name && PLACING.has(record.type));
      const isThere = (record: NameRecord): boolean =>
        own.some(({ type, data }) => type === record.type && data === record.data);
      const wrong = own.filter(
        ({ type, data }) => !wanted.some((record) => record.type === type && record.data === data),
      );
      const kept = wanted.filter(isThere).map((record) => ({ change: 'keep' as const, record, lines: [] }));
      const missing = wanted.filter((record) => !isThere(record));
      return [
        ...kept,
        ...missing.map((record, at) => ({
          change: at === 0 && wrong.length > 0 ? ('replace' as const) : ('add' as const),
          record,
          lines: at === 0 ? wrong.map(({ line }) => line) : [],
        })),
      ];
    });
}

/** @param text the file as it was given */
export function completeZone(text: string, zone: Zone, needs: readonly NameNeed[]): CompletedZone {
  const changes = compareZone(zone, needs);
  const replaced = new Set(changes.flatMap(({ lines }) => lines));
  const lines = text.replace(/\n$/, '').split('\n');
  const kept = lines.map((line, at) => (replaced.has(at + 1) ? `; was: ${line}` : line));
  const added = changes
    .filter(({ change }) => change !== 'keep')
    .map(
      ({ change, record }) =>
        `${formatRecord(record, '')} ; ${change === 'add' ? 'added' : 'in place of it'}`,
    );
  const more = added.length === 0 ? [] : ['', '; what the site needs', ...added];
  return { text: `${[...kept, ...more].join('\n')}\n`, changes };
}

/** A zone file of the records alone, ready to be imported beside what the provider itself puts in. */
export function renderZone(apex: string, needs: readonly NameNeed[], ttl: number): string {
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
