/** The same visits under other circumstances, side by side: which requests differ, and why. */
import type { Why } from './private-cache.js';
import type { Visit, VisitName } from './run-visits.js';
import type { KnownLoad, VisitedResponse } from './visit.js';

/** One side of a request that differs; undefined parts where nothing is asked. */
export interface RequestSide {
  readonly from: VisitedResponse['from'];
  readonly status: number | undefined;
  readonly bytes: number;
  readonly why: Why;
}

export interface RequestDifference {
  readonly kind: VisitName;
  readonly after: number;
  readonly page: string;
  readonly url: string;
  /** Undefined where the load does not need it. */
  readonly was: RequestSide | undefined;
  readonly becomes: RequestSide | undefined;
}

/** Visits of which every response is told. */
interface Told {
  readonly visits: readonly Visit[];
  readonly loads: readonly KnownLoad[];
}

export function compareWhatIf(was: Told, becomes: Told): RequestDifference[] {
  return was.visits.flatMap((visit, at) => {
    const other = becomes.visits[at];
    return other ? compareVisit(visit, other, changedBodies(was, becomes)) : [];
  });
}

/** Whether an address gives other bytes, by its validator and its size. */
function changedBodies(was: Told, becomes: Told): (url: string) => boolean {
  const [a, b] = [was.loads[0]?.answers, becomes.loads[0]?.answers];
  return (url) => a?.get(url)?.size !== b?.get(url)?.size;
}

function compareVisit(was: Visit, becomes: Visit, isOther: (url: string) => boolean): RequestDifference[] {
  const { kind, after } = was;
  const left = groupByRequest(becomes.responses);
  const differences: RequestDifference[] = [];
  const add = (of: VisitedResponse, a: VisitedResponse | undefined, b: VisitedResponse | undefined): void => {
    differences.push({ kind, after, page: of.page, url: of.url, was: a, becomes: b });
  };
  for (const response of was.responses) {
    const other = left.get(idOf(response))?.shift();
    if (!other) add(response, response, undefined);
    else if (
      other.from !== response.from ||
      other.status !== response.status ||
      (response.from === 'network' && isOther(response.url))
    )
      add(response, response, other);
  }
  for (const responses of left.values()) for (const response of responses) add(response, undefined, response);
  return differences;
}

const idOf = ({ page, use, url }: VisitedResponse): string => `${page} ${use} ${url}`;

function groupByRequest(responses: readonly VisitedResponse[]): Map<string, VisitedResponse[]> {
  const groups = new Map<string, VisitedResponse[]>();
  for (const response of responses) {
    const known = groups.get(idOf(response));
    if (known) known.push(response);
    else groups.set(idOf(response), [response]);
  }
  return groups;
}
