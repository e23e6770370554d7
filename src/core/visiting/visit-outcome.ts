/** What comes of visits: of a release, a folder or an endpoint. */
import type { RuledTooLong } from '../release/kept-too-long.js';
import type { Advice } from './advice.js';
import type { BrowserVisit, VisitDifference } from './compare-visits.js';
import type { Unknown } from './page-load.js';
import type { Visit, VisitPlan } from './run-visits.js';
import type { BudgetExcess } from './budget.js';
import type { SeenRequest } from './seen-requests.js';
import type { TimeOut } from './time-out.js';
import type { KnownLoad } from './visit.js';
import type { RequestDifference } from './what-if.js';

export interface SiteVisits {
  readonly at: number;
  readonly visits: readonly Visit[];
  /** The same visits of a site that says nothing of caches. */
  readonly withoutHeaders: readonly Visit[];
  /** How long the release has been out for visitors of `withoutHeaders`. */
  readonly timeOut: TimeOut;
  readonly unknown: Unknown;
  readonly loads: readonly KnownLoad[];
  readonly plan: VisitPlan;
}

export interface Browsed {
  /** What the browser calls itself. */
  readonly version: string;
  readonly visits: readonly BrowserVisit[];
  /** By the page's address: all that its first load asked for or took from the cache. */
  readonly seen: ReadonlyMap<string, readonly SeenRequest[]>;
  /** What pages were kept from doing in it. */
  readonly denied?: readonly { readonly what: string; readonly times: number }[];
}

/** What is visited instead, and what that changes. */
export interface OtherVisits {
  readonly site: Pick<SiteVisits, 'visits' | 'loads'>;
  /** Undefined where it is what is visited otherwise too. */
  readonly release: number | undefined;
  /** Lines of `assign` that are added, as they were given. */
  readonly lines: readonly string[];
  readonly differences: readonly RequestDifference[];
}

export interface VisitOutcome extends SiteVisits {
  /** Undefined for an endpoint. */
  readonly bucket: string | undefined;
  /** The endpoint that was asked, as it may be shown. */
  readonly endpoint?: string;
  /** Undefined for the site folder. */
  readonly release: number | undefined;
  /** Whether nobody could visit it now. */
  readonly closed: boolean;
  readonly paths: readonly string[];
  /** The rule that decides the caching of an address, where today's config says what is sent. */
  readonly ruleOf: (url: string) => string | undefined;
  /** The key of what answers under its plain name, where it has a versioned one. */
  readonly plainOf: (url: string) => string | undefined;
  /** What the visited pages ask for above their budgets. */
  readonly overBudget: readonly BudgetExcess[];
  /** Pages that have a budget. */
  readonly budgeted: number;
  readonly other?: OtherVisits;
  readonly advice: readonly Advice[];
  /** What of the site is kept for longer than it has lasted, by its releases. */
  readonly keptTooLong?: RuledTooLong;
  /** Pages that the advice was worked out for, where there are too many for all. */
  readonly advisedOn: number;
  /** What a real browser did, and where that is something else. */
  readonly browsed?: Browsed & {
    readonly differences: readonly VisitDifference[];
    /** Pages of which something was seen that only a browser can tell; it is remembered. */
    readonly learned: number;
  };
}
