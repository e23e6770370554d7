import type { OverForeign } from '../../core/release/foreign.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import type { Store } from '../../stores/port.js';
import type { Project } from '../project/open-project.js';
import type { Comparison } from './comparison.js';

/** What a publish would do. Whoever prepares it closes it. */
export interface Prepared {
  readonly project: Project;
  readonly site: SurveyedSite;
  readonly comparison: Comparison;
  /** Whether what somebody else has changed may be overwritten. */
  readonly overForeign?: OverForeign | undefined;
  /** Undefined where there is none yet, or none was needed to see that nothing has changed. */
  readonly store: Store | undefined;
  close(): Promise<void>;
}
