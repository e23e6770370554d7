/** What the names of a site need, as it is shown. */
import type { ZoneChange } from './complete-zone.js';
import type { RequiredRecords } from './required-records.js';
import type { MoveStep, Ttls } from './waiting.js';
import type { ZoneFault } from './zone-file.js';

export interface ListedRecords {
  readonly bucketHost: string;
  /** Of the bucket's host; none where nobody could say them. */
  readonly addresses: readonly string[];
  readonly needs: readonly RequiredRecords[];
  /** What the registrar must have, by zone; from the config, the zone file or what was seen. */
  readonly nameServers: Readonly<Record<string, readonly string[]>>;
  /** By zone. */
  readonly zones: Readonly<Record<string, string>>;
  readonly changes: readonly ZoneChange[];
  readonly faults: readonly ZoneFault[];
  readonly plan: readonly MoveStep[];
  /** What the plan rests on. */
  readonly ttls?: Ttls & { readonly seen: boolean };
}
