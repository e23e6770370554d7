/** A baseline: what is known already and does not fail a check. */
import { identityOf, type Finding } from '../findings/finding.js';
import { ANSWERS_DIFFERENTLY, CHECK_FINDINGS } from './check-findings.js';
import { areAlike } from './compare-places.js';
import { passes, type CheckOutcome } from './outcome.js';
import type { Failure } from './compare-answer.js';

export interface Baseline {
  readonly findings: readonly {
    readonly rule: string;
    readonly key?: string | undefined;
    readonly message: string;
    /** What it is about; entries that were saved without it go by their place and message. */
    readonly about?: string | undefined;
  }[];
  readonly failures: readonly { readonly about: string; readonly aspect: string; readonly path: string }[];
}

/** What a check found, parted by what is known. */
export interface Parted {
  readonly findings: readonly Finding[];
  readonly failures: readonly Failure[];
  readonly known: number;
  /** Entries of the baseline that no longer occur. */
  readonly gone: number;
}

// Messages once ended in how often something occurs elsewhere.
const lasting = (message: string): string => message.replace(/ \(and at [\d,]+ other places?\)$/, '');
const placeId = ({ rule, key, message }: Baseline['findings'][number]): string =>
  identityOf({ rule, key, message: lasting(message) });
const failureId = ({ about, aspect, path }: Baseline['failures'][number]): string =>
  [about, aspect, path].join('\0');
/** The endpoint may be another one the next time, so only the path counts. */
const entryOf = ({ about, aspect, url }: Failure): Baseline['failures'][number] => ({
  about,
  aspect,
  path: url.replace(/^[a-z]+:\/\/[^/]*/i, ''),
});

/** What is true of the moment and not of the site: that visitors are shut out is never known and done with. */
const OF_THE_MOMENT = new Set(CHECK_FINDINGS.map(({ name }) => name));

export const makeBaseline = (findings: readonly Finding[], failures: readonly Failure[]): Baseline => ({
  findings: findings
    .filter(({ rule }) => !OF_THE_MOMENT.has(rule) || rule === ANSWERS_DIFFERENTLY.name)
    .map(({ rule, key, message, about }) => ({
      rule,
      ...(key === undefined ? {} : { key }),
      message,
      ...(about === undefined ? {} : { about }),
    })),
  failures: failures.map(entryOf),
});

/** Whether all that was found can be known from now on: answers of the emulation and of other places cannot. */
export function passesOnceKnown(
  outcome: Pick<CheckOutcome, 'findings' | 'failures' | 'failOn' | 'beside' | 'against'>,
): boolean {
  const { findings, failures, failOn, beside, against } = outcome;
  const left = partByBaseline(findings, failures, makeBaseline(findings, failures));
  return (
    areAlike(against?.differences ?? []) && passes(left.findings, [left, ...(beside ? [beside] : [])], failOn)
  );
}

export function partByBaseline(
  findings: readonly Finding[],
  failures: readonly Failure[],
  baseline: Baseline | undefined,
): Parted {
  if (!baseline) return { findings, failures, known: 0, gone: 0 };
  const known = new Set([
    ...baseline.findings.map((entry) => (entry.about === undefined ? placeId(entry) : identityOf(entry))),
    ...baseline.failures.map(failureId),
  ]);
  const met = new Set<string>();
  const isNew = (...ids: readonly string[]): boolean => {
    const id = ids.find((each) => known.has(each));
    if (id !== undefined) met.add(id);
    return id === undefined;
  };
  const newFindings = findings.filter((finding) => isNew(identityOf(finding), placeId(finding)));
  const newFailures = failures.filter((failure) => isNew(failureId(entryOf(failure))));
  return {
    findings: newFindings,
    failures: newFailures,
    known: findings.length - newFindings.length + failures.length - newFailures.length,
    gone: known.size - met.size,
  };
}

/** Reads a baseline's text. @throws Error that says what is wrong with it */
export function parseBaseline(text: string): Baseline {
  const value = JSON.parse(text) as unknown;
  const part = (name: 'findings' | 'failures', fields: readonly string[]): Record<string, string>[] => {
    const list = (value as Record<string, unknown> | null)?.[name];
    if (!Array.isArray(list)) throw new Error(`it has no list "${name}"`);
    for (const each of list as Record<string, unknown>[])
      for (const field of fields)
        if (typeof each?.[field] !== 'string') throw new Error(`an entry under "${name}" has no "${field}"`);
    return list as Record<string, string>[];
  };
  return {
    findings: part('findings', ['rule', 'message']) as unknown as Baseline['findings'],
    failures: part('failures', ['about', 'aspect', 'path']) as unknown as Baseline['failures'],
  };
}
