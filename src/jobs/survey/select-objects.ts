/** The objects of a survey that somebody asks for. */
import type { Candidate } from '../../core/assign/cascade.js';
import { essence, isMediaRange, isText, matchesRange } from '../../core/assign/media-type.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { Finding } from '../../core/findings/finding.js';
import { plainKey } from '../../core/site/site-object.js';
import type { SurveyObject } from '../../core/site/survey.js';
import { nearestWord } from '../../core/words/nearest-word.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import { assertMatch, type Matching } from '../project/matching.js';

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
export function assertSelection({ type, rule }: Selection, rules: number): void {
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
  if (matching) assertMatch(matching, survey.objects.map(plainKey), 'the site');
  const objects = survey.objects.filter(
    (object) =>
      (matching?.covers(plainKey(object)) ?? true) &&
      (type === undefined || matchesRange(type, object.headers['Content-Type'] ?? '')) &&
      (rule === undefined ||
        Object.values(object.decision.decidedBy).some((decider) => decider.rule === rule)),
  );
  const shown = new Set(objects.map(plainKey));
  return {
    objects,
    findings: survey.findings.filter(({ key }) => key !== undefined && shown.has(key)),
  };
}

/** Every rule and default that had a say in an object. */
export const explainObject = ({ cascade }: SurveyedSite, object: SurveyObject): Candidate[] =>
  cascade.explain(
    plainKey(object),
    isText(essence(object.headers['Content-Type'] ?? '')),
    object.plain === undefined,
  );

/** @param wanted a key, with or without a leading slash @throws FenestraError KEY_UNKNOWN */
export function findObject({ objects }: SurveyedSite, wanted: string): SurveyObject {
  const key = wanted.replace(/^\//, '').normalize('NFC');
  const object = objects.find((each) => each.key === key) ?? objects.find(({ plain }) => plain === key);
  if (object) return object;
  const near = nearestWord(key, objects.map(plainKey));
  throw new FenestraError('KEY_UNKNOWN', { key, nearest: near === undefined ? '' : `; there is ${near}` });
}
