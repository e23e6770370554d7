/** `fenestra visit --json`. */
import type { RuledTooLong } from '../../core/release/kept-too-long.js';
import type { VisitOutcome } from '../../core/visiting/visit-outcome.js';
import type { Visit } from '../../core/visiting/run-visits.js';
import type { RequestSide } from '../../core/visiting/what-if.js';
import type { VisitedResponse } from '../../core/visiting/visit.js';
import { adviceLine, describeRisk } from '../text/advice-text.js';
import { describeWhy } from '../text/request-reason-text.js';

export interface VisitResponseJson {
  readonly url: string;
  readonly page: string;
  /** On the wire; null where nothing was asked. */
  readonly status: number | null;
  readonly from: VisitedResponse['from'];
  readonly bytes: number;
  readonly because: string;
  readonly use: string;
  readonly key: string | null;
  /** Known only since a browser was seen to ask for it. */
  readonly seen?: true;
  /** The key under its plain name, where `key` is a versioned one. */
  readonly plainKey?: string;
  /** Seconds from the beginning of the page's load, computed. */
  readonly time: { readonly asked: number; readonly answered: number; readonly to: number };
}

/** One side of a request that differs. */
interface SideJson {
  readonly from: VisitedResponse['from'];
  readonly status: number | null;
  readonly bytes: number;
  readonly because: string;
}

interface TotalsJson {
  readonly kind: Visit['kind'];
  /** Seconds after the first visit. */
  readonly after: number;
  readonly requests: number;
  readonly revalidated: number;
  readonly fromCache: number;
  readonly bytes: number;
  readonly seconds: number;
}

export interface VisitJson {
  readonly paths: readonly string[];
  readonly visits: readonly (TotalsJson & { readonly responses: readonly VisitResponseJson[] })[];
  readonly unknown: VisitOutcome['unknown'];
  readonly keptTooLong?: RuledTooLong;
  readonly advice: readonly {
    readonly line: string;
    readonly saves: { readonly requests: number; readonly bytes: number; readonly seconds: number };
    readonly risk: string;
  }[];
  /** `out`: the seconds for which the release is out, and by what that is known. */
  readonly withoutHeaders: {
    readonly out: VisitOutcome['timeOut'];
    readonly visits: readonly TotalsJson[];
  };
  readonly overBudget: readonly {
    readonly page: string;
    readonly key: string;
    readonly visit: string;
    readonly figure: string;
    readonly is: number;
    readonly most: number;
    readonly line: number;
  }[];
  readonly other?: {
    readonly release: number | null;
    readonly lines: readonly string[];
    readonly visits: readonly TotalsJson[];
    readonly differences: readonly {
      readonly kind: string;
      readonly after: number;
      readonly page: string;
      readonly url: string;
      readonly was: SideJson | null;
      readonly becomes: SideJson | null;
    }[];
  };
}

export function visitJson(visited: VisitOutcome) {
  const { paths, visits, unknown, withoutHeaders, bucket, endpoint, release, closed, browsed, advice } =
    visited;
  const { other, overBudget, timeOut } = visited;
  return {
    paths,
    bucket: bucket ?? null,
    ...(endpoint === undefined ? {} : { at: endpoint }),
    release: release ?? null,
    closed,
    visits: visits.map((visit) => ({
      ...totalsJson(visit),
      pages: visit.pages.map(({ page, totals }) => ({ page, ...totals, seconds: rounded(totals.seconds) })),
      responses: visit.responses.map((response) => responseJson(response, visited)),
    })),
    unknown,
    advice: advice.map((each) => ({
      line: adviceLine(each),
      saves: { ...each.saves, seconds: rounded(each.saves.seconds) },
      risk: describeRisk(each),
    })),
    ...(visited.keptTooLong ? { keptTooLong: visited.keptTooLong } : {}),
    withoutHeaders: { out: timeOut, visits: withoutHeaders.map(totalsJson) },
    overBudget: overBudget.map(({ url, key, visit, figure, is, most, line }) => ({
      page: url,
      key,
      visit,
      figure,
      is: rounded(is),
      most,
      line,
    })),
    ...(other
      ? {
          other: {
            release: other.release ?? null,
            lines: other.lines,
            visits: other.site.visits.map(totalsJson),
            differences: other.differences.map(({ kind, after, page, url, was, becomes }) => ({
              kind,
              after,
              page,
              url,
              was: sideJson(was),
              becomes: sideJson(becomes),
            })),
          },
        }
      : {}),
    ...(browsed
      ? {
          browserVersion: browsed.version,
          learned: browsed.learned,
          denied: browsed.denied ?? [],
          browser: browsed.visits.map(({ kind, after, pages }) => ({
            kind,
            after,
            responses: pages.flatMap(({ page, requests }) =>
              requests.map(({ target, status, bytes }) => ({
                url: new URL(target, page).href,
                page,
                status,
                from: status === 304 ? 'revalidated' : 'network',
                bytes,
              })),
            ),
          })),
          differences: browsed.differences.map(({ kind, after, page, target, model, browser, byScript }) => ({
            kind,
            after,
            page,
            url: new URL(target, page).href,
            model: model ?? null,
            browser: browser ?? null,
            ...(byScript ? { byScript } : {}),
          })),
        }
      : {}),
  };
}

const sideJson = (side: RequestSide | undefined): SideJson | null =>
  side
    ? {
        from: side.from,
        status: side.status ?? null,
        bytes: side.bytes,
        because: describeWhy(side.why, undefined),
      }
    : null;

const rounded = (seconds: number): number => Math.round(seconds * 1000) / 1000;

const totalsJson = ({ kind, after, totals }: Visit): TotalsJson => ({
  kind,
  after,
  ...totals,
  seconds: rounded(totals.seconds),
});

function responseJson(response: VisitedResponse, visited: VisitOutcome): VisitResponseJson {
  const { url, page, status, from, bytes, why, use, key, seen, time } = response;
  const plainKey = visited.plainOf(url);
  return {
    url,
    page,
    status: status ?? null,
    from,
    bytes,
    because: describeWhy(why, visited.ruleOf(url)),
    use,
    key: key ?? null,
    ...(seen ? { seen } : {}),
    ...(plainKey === undefined ? {} : { plainKey }),
    time: { asked: rounded(time.asked), answered: rounded(time.answered), to: rounded(time.to) },
  };
}
