/** Resource records as they are compared, shown and written: what they say is text in the form of master files. */
import { toName } from './domain-name.js';

export interface NameRecord {
  /** Of its owner, in lower case and without the closing dot. */
  readonly name: string;
  /** `A`, `CNAME`, `HTTPS`…; `TYPE123` where it has no name here. */
  readonly type: string;
  /** Seconds. */
  readonly ttl: number;
  /** As a master file says it; names in it are absolute and in lower case. */
  readonly data: string;
}

/** The types whose whole data is one name. */
export const NAMING: ReadonlySet<string> = new Set(['NS', 'CNAME', 'PTR', 'DNAME']);

/** What a record of one name points to. */
export const targetOf = ({ data }: Pick<NameRecord, 'data'>): string => toName(data);

export const ofType = (records: readonly NameRecord[], type: string): NameRecord[] =>
  records.filter((record) => record.type === type);

/** What a set of records says, for comparing: neither their order nor their TTLs. */
export const sayings = (records: readonly NameRecord[]): string =>
  records
    .map(({ name, type, data }) => `${name} ${type} ${data}`)
    .sort()
    .join('\n');

export const formatTtl = (seconds: number): string => {
  for (const [unit, length] of [
    ['day', 86_400],
    ['hour', 3600],
    ['minute', 60],
  ] as const)
    if (seconds >= length && seconds % length === 0)
      return `${seconds / length} ${unit}${seconds === length ? '' : 's'}`;
  return `${seconds} ${seconds === 1 ? 'second' : 'seconds'}`;
};
