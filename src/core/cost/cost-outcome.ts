/** What a site costs, as it is shown. */
import type { LogSpan } from './log-span.js';
import type { RoundedCost } from './month-cost.js';
import type { RateCard, Usage } from './rate-card.js';

export interface CardCost {
  readonly card: Pick<RateCard, 'name' | 'currency' | 'date'>;
  /** Whether it has prices for a front. */
  readonly hasFront: boolean;
  /** The first month, and the month after those in which something is free; one where they are the same. */
  readonly months: readonly RoundedCost[];
  /** The first twelve months, as they are paid. */
  readonly year: string;
  /** The last of the months, by other traffic. */
  readonly withoutHeaders?: RoundedCost;
  readonly withAdvice?: RoundedCost;
  /** Twelve months of traffic that grows, and their sum. */
  readonly growing?: { readonly months: readonly string[]; readonly year: string } | undefined;
  /** The last of the months by more and by less traffic. */
  readonly curve: readonly { readonly times: number; readonly amount: string }[];
  /** What each line of `assign` saves in the last of the months. */
  readonly rules: readonly { readonly line: string; readonly saves: string }[];
  readonly top: readonly {
    readonly what: string;
    readonly amount: string;
    readonly requests: number;
    readonly bytes: number;
  }[];
}

export interface CostOutcome {
  readonly destination: string;
  readonly bucket: string;
  readonly cards: readonly CardCost[];
  readonly usage: Usage;
  /** What the traffic comes from. */
  readonly traffic:
    | {
        readonly from: 'visitors';
        readonly visitors: number;
        /** In parts of a thousand. */
        readonly returning: number;
        readonly pages: readonly string[];
        readonly first: { readonly requests: number; readonly bytes: number };
        readonly again: { readonly requests: number; readonly bytes: number };
        /** Seconds after which they come back. */
        readonly after: number;
        /** Whether the requests of a cache for everybody are meant, which stands before the bucket. */
        readonly front: boolean;
      }
    | {
        readonly from: 'log';
        readonly file: string;
        /** Seconds that its counts are taken to be of. */
        readonly seconds: number;
        /** What was said of it, in place of what its lines say. */
        readonly isSaid: boolean;
        /** Of its lines; undefined where none says a time. */
        readonly span: LogSpan | undefined;
        readonly reads: number;
        readonly missing: number;
        readonly confirmed: number;
        readonly robots: number;
        readonly lines: number;
        readonly unread: number;
      };
  /** Line of the best advice, where there is some. */
  readonly advice?: string;
  /** By how many thousandths traffic grows from each month to the next, where that was asked for. */
  readonly growth?: number;
}
