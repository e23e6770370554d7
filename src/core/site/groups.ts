/** Objects counted by what was decided for them: a site has many objects and few decisions. */
import type { Decision } from '../assign/cascade.js';
import type { SurveyObject } from './survey.js';

export interface ObjectGroup {
  /** '' when there is none. */
  readonly contentType: string;
  readonly cacheWords: string;
  /** What decided the caching. */
  readonly cacheBy: string;
  readonly public: boolean;
  readonly count: number;
  readonly bytes: number;
  /** The first keys, two at the most. */
  readonly examples: readonly string[];
}

interface Tally {
  readonly decision: Decision;
  readonly public: boolean;
  count: number;
  bytes: number;
  readonly examples: string[];
}

export function groupObjects(objects: Iterable<SurveyObject>): ObjectGroup[] {
  const byDecision = new Map<Decision, [readable?: Tally, barred?: Tally]>();
  const tallies: Tally[] = [];
  for (const { decision, public: open, size, key } of objects) {
    let slots = byDecision.get(decision);
    if (!slots) byDecision.set(decision, (slots = []));
    let tally = slots[open ? 0 : 1];
    if (!tally)
      tallies.push(
        (slots[open ? 0 : 1] = tally = { decision, public: open, count: 0, bytes: 0, examples: [] }),
      );
    tally.count++;
    tally.bytes += size;
    if (tally.examples.length < 2) tally.examples.push(key);
  }
  return tallies.map(({ decision, ...rest }) => ({
    contentType: decision.headers['Content-Type'] ?? '',
    cacheWords: decision.cacheWords,
    cacheBy: decision.decidedBy.cache?.by ?? 'nothing',
    ...rest,
  }));
}
