/** The one JSON document of a check. */
import type { Failure } from '../../core/check/compare-answer.js';
import type { CheckOutcome, EndpointOutcome } from '../../core/check/outcome.js';
import type { Finding, Level } from '../../core/findings/finding.js';
import { completeCommands, plainCommand, type CommandLine } from '../../core/words/command-line.js';
import { describeCause } from '../text/cause-text.js';

export interface FailureJson extends Failure {
  /** What to do about its cause. */
  readonly fix: string;
}

export interface CheckJson {
  /** The address that was asked. */
  readonly at: string;
  /** Whether it was our own emulation. */
  readonly selfTest: boolean;
  readonly bucket: string;
  readonly release: number;
  /** Whether it was the site folder, as it would be published; `release` is 0 then. */
  readonly unpublished?: boolean;
  readonly passed: boolean;
  readonly failOn: Level;
  readonly probes: EndpointOutcome['probes'];
  readonly sample: CheckOutcome['sample'] & { readonly of: number };
  /** The release that was published meanwhile; what it concerns was asked again against it. */
  readonly meanwhile?: number;
  readonly failures: readonly FailureJson[];
  readonly findings: readonly Finding[];
  readonly matrix: EndpointOutcome['matrix'];
  /** Our own emulation, asked beside an endpoint. */
  readonly beside?: Omit<EndpointOutcome, 'failures'> & { readonly failures: readonly FailureJson[] };
  /** Another destination beside it: what the two answer differently, and whether the resolver expects it to. */
  readonly against?: CheckOutcome['against'];
  readonly baseline?: CheckOutcome['baseline'];
  readonly inspection: CheckOutcome['inspection'];
  readonly seconds: number;
}

const withFixes = (failures: readonly Failure[], command: CommandLine): FailureJson[] =>
  failures.map((failure) => ({ ...failure, fix: completeCommands(describeCause(failure.cause), command) }));

export const checkJson = (outcome: CheckOutcome, command: CommandLine = plainCommand): CheckJson => {
  const { at, selfTest, bucket, release, probes, failures, findings, passed, failOn } = outcome;
  return {
    at,
    selfTest,
    bucket,
    release,
    ...(outcome.unpublished ? { unpublished: true } : {}),
    passed,
    failOn,
    probes,
    sample: { ...outcome.sample, of: outcome.objects },
    ...(outcome.meanwhile === undefined ? {} : { meanwhile: outcome.meanwhile }),
    failures: withFixes(failures, command),
    findings,
    matrix: outcome.matrix,
    ...(outcome.beside
      ? { beside: { ...outcome.beside, failures: withFixes(outcome.beside.failures, command) } }
      : {}),
    ...(outcome.against ? { against: outcome.against } : {}),
    ...(outcome.baseline ? { baseline: outcome.baseline } : {}),
    inspection: outcome.inspection,
    seconds: outcome.seconds,
  };
};
