/** The objects of a survey that somebody asks for. */
import type { Candidate } from '../../core/assign/cascade.js';
import { essence, isMediaRange, isText, matchesRange } from '../../core/assign/media-type.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { Finding } from '../../core/findings/finding.js';
import type { SurveyObject } from '../../core/site/survey.js';
import { nearestWord } from '../../core/words/nearest-word.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import { needMatch, type Matching } from '../project/matching.js';

export interface Selection {
  readonly matching?: Matching | undefined;
  /** A media range. */
  readonly type?: string | undefined;
  /** The number of a rule that decided something. */
  readonly rule?: number | undefined;
}

export interface Selected {
  /** Undefined where everything was asked for. */
  readonly objects: readonly SurveyObject[] | undefined;
  readonly findings: readonly Finding[];
}

/** @param rules how many the config has @throws FenestraError USAGE */
export function needSelection({ type, rule }: Selection, rules: number): void {
  if (type !== undefined && !isMediaRange(type))
    throw new FenestraError('USAGE', {
      what: `--type "${type}" is not a media range.`,
      fix: 'Give one such as text/html or image/*.',
    });
  if (rule !== undefined && (!Number.isInteger(rule) || rule < 1 || rule > rules))
    throw new FenestraError('USAGE', {
      what: `--rule ${rule} is none of the config's rules.`,
      fix: rules === 0 ? 'The config has no rules under `assign`.' : `Give a number from 1 to ${rules}.`,
    });
}

/** @throws FenestraError USAGE where a pattern matches nothing */
export function selectObjects(survey: SurveyedSite, { matching, type, rule }: Selection): Selected {
  if (!matching && type === undefined && rule === undefined)
    return { objects: undefined, findings: survey.findings };
  if (matching)
    needMatch(
      matching,
      survey.objects.map(({ key }) => key),
      'the site',
    );
  const objects = survey.objects.filter(
    ({ key, headers, decision }) =>
      (matching?.covers(key) ?? true) &&
      (type === undefined || matchesRange(type, headers['Content-Type'] ?? '')) &&
      (rule === undefined || Object.values(decision.decidedBy).some((decider) => decider.rule === rule)),
  );
  const shown = new Set(objects.map(({ key }) => key));
  return {
    objects,
    findings: survey.findings.filter(({ key }) => key !== undefined && shown.has(key)),
  };
}

/** Every rule and default that had a say in an object. */
export const explainObject = ({ cascade }: SurveyedSite, { key, headers }: SurveyObject): Candidate[] =>
  cascade.explain(key, isText(essence(headers['Content-Type'] ?? '')));

/** @param wanted a key, with or without a leading slash @throws FenestraError KEY_UNKNOWN */
export function findObject({ objects }: SurveyedSite, wanted: string): SurveyObject {
  const key = wanted.replace(/^\//, '').normalize('NFC');
  const object = objects.find((each) => each.key === key);
  if (object) return object;
  const near = nearestWord(
    key,
    objects.map((each) => each.key),
  );
  throw new FenestraError('KEY_UNKNOWN', { key, nearest: near === undefined ? '' : `; there is ${near}` });
}
