/** The trace of one address: the resolver's steps, the answer, and what set each of its headers. */
import type { Decision } from '../assign/cascade.js';
import { propertyOf } from '../assign/properties.js';
import {
  headerOf,
  headersToRecord,
  type Answer,
  type Recorder,
  type Step,
  type WebRequest,
} from './answer.js';
import type { BucketView } from './bucket-view.js';
import { resolve } from './resolve.js';

export interface TracedHeader {
  readonly name: string;
  readonly value: string;
  /** The rule, default or fact behind it. */
  readonly because: string;
}

export interface Trace {
  readonly answer: Answer;
  readonly headers: readonly TracedHeader[];
  readonly steps: readonly Step[];
}

/** @param host how the bucket was found @param decide what the config of today says of a key; undefined when it is not at hand */
export function traceRequest(
  request: WebRequest,
  view: BucketView,
  host: string,
  decide?: (object: { readonly key: string; readonly plain?: string }, type: string) => Decision,
): Trace {
  const steps: Step[] = [];
  const recorder: Recorder = {
    note: (step, outcome, because) => void steps.push({ step, outcome, because }),
  };
  const answer = resolve(request, view, recorder);
  // The bucket is found before the resolver is asked, once the target is known to be one.
  const target = steps.findIndex(({ step }) => step === 'target');
  if (target >= 0 && target < steps.length - 1)
    steps.splice(target + 1, 0, { step: 'host', outcome: view.name, because: host });
  const { key } = answer;
  const object = answer.body.kind === 'object' ? answer.body.object : key === undefined ? undefined : { key };
  const decision =
    object === undefined ? undefined : decide?.(object, headerOf(answer.headers, 'Content-Type') ?? '');
  const headers = Object.entries(headersToRecord(answer.headers)).map(([name, value]) => ({
    name,
    value,
    because: reasonOf(name, value, answer, view, decision),
  }));
  return { answer, headers, steps };
}

function reasonOf(
  name: string,
  value: string,
  { status }: Answer,
  view: BucketView,
  decision: Decision | undefined,
): string {
  const property = propertyOf(name);
  if (property !== undefined) {
    if (!decision) return `as published by release ${view.release}`;
    const by = decision.decidedBy[property]?.by ?? 'no rule';
    return decision.headers[name] === value
      ? by
      : `as published; today's config says ${decision.headers[name] ?? 'nothing'} (${by})`;
  }
  switch (name) {
    case 'Access-Control-Allow-Origin':
    case 'Access-Control-Expose-Headers':
    case 'Vary':
      return 'sharedWith in the config';
    case 'ETag':
      return 'from the bytes alone';
    case 'Last-Modified':
      return 'when these bytes or headers were published';
    case 'Content-Length':
      return status === 206 ? 'the size of the range' : 'the size of the object';
    case 'Accept-Ranges':
      return 'parts can be asked for';
    case 'Content-Range':
      return 'which bytes of the object these are';
    case 'Location':
      return status === 301 || status === 302 ? 'where to ask instead' : 'where to go';
    case 'Allow':
      return 'what a bucket host answers';
    default:
      return 'sent by the resolver';
  }
}
