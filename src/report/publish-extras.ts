/** What a publish shows beside its own changes, on the terminal and as JSON alike. */
import type { Change, ChangeTotals } from '../core/release/change-list.js';
import type { SettingDrift } from '../core/release/setting-drift.js';
import type { ForeignChange } from '../core/release/foreign.js';

export interface PublishExtras {
  /** What somebody else has changed past Fenestra. */
  readonly foreign?: readonly ForeignChange[] | undefined;
  /** Settings of the store that somebody else has changed. */
  readonly drift?: readonly SettingDrift[] | undefined;
  /** What goes to a closed bucket beside, since nobody may read it. */
  readonly companion?:
    | {
        readonly bucket: string;
        readonly comparison: {
          readonly entries: readonly Change[];
          readonly totals: ChangeTotals;
          readonly toSend: number;
        };
      }
    | undefined;
}
