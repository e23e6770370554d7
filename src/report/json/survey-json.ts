/** The one JSON document of a survey. */
import { essence, isText } from '../../core/assign/media-type.js';
import type { Property } from '../../core/assign/properties.js';
import type { Candidate } from '../../core/assign/cascade.js';
import type { Finding } from '../../core/findings/finding.js';
import { plainKey, type ObjectHeaders } from '../../core/site/site-object.js';
import type { SurveyObject } from '../../core/site/survey.js';
import type { RuledTooLong } from '../../core/release/kept-too-long.js';
import type { SurveyedSite } from '../../disk/survey-site.js';

export interface SurveyedObjectJson {
  readonly key: string;
  /** The key under its plain name, which patterns match, where `key` is a versioned one. */
  readonly plainKey?: string;
  /** Bytes, as they are published. */
  readonly size: number;
  /** SHA-256, hexadecimal. */
  readonly digest: string;
  readonly contentType: string | null;
  readonly cacheControl: string | null;
  readonly headers: ObjectHeaders;
  readonly public: boolean;
  /** The rule or default behind each property. */
  readonly decidedBy: Readonly<Partial<Record<Exclude<Property, 'contentType' | 'cache'>, string>>> & {
    readonly contentType: string | null;
    readonly cache: string | null;
  };
  /** The media type that the leading bytes give away. */
  readonly sniffed?: string;
  /** Rules and defaults that matched and did not decide, by property. */
  readonly lost: Readonly<Record<string, readonly string[]>>;
}

export interface SurveyJson {
  /** Absolute path. */
  readonly site: string;
  readonly objects: readonly SurveyedObjectJson[];
  readonly totals: {
    readonly objects: number;
    readonly bytes: number;
    readonly public: number;
    /** Dot files and files of the system. */
    readonly leftOut: number;
    /** Files that were read because they were new or changed. */
    readonly read: number;
  };
  readonly findings: readonly Finding[];
  /** What is kept for longer than it has lasted, by the releases so far; the seconds of both. */
  readonly keptTooLong?: RuledTooLong;
}

/** @param selected what is shown of the survey, where that is not all of it */
export const surveyJson = (
  site: string,
  survey: SurveyedSite,
  {
    objects = survey.objects,
    findings,
    tooLong,
  }: {
    readonly objects: readonly SurveyObject[] | undefined;
    readonly findings: readonly Finding[];
    readonly tooLong: RuledTooLong | undefined;
  },
): SurveyJson => ({
  site,
  objects: objects.map((object) =>
    objectJson(
      object,
      survey.cascade.explain(
        plainKey(object),
        isText(essence(object.headers['Content-Type'] ?? '')),
        object.plain === undefined,
      ),
    ),
  ),
  totals: {
    objects: objects.length,
    bytes: objects.reduce((bytes, { size }) => bytes + size, 0),
    public: objects.filter((object) => object.public).length,
    leftOut: survey.walked.leftOut,
    read: survey.read,
  },
  findings,
  ...(tooLong ? { keptTooLong: tooLong } : {}),
});

function objectJson(
  { key, plain, size, digest, headers, decision, public: open, facts }: SurveyObject,
  candidates: readonly Candidate[],
): SurveyedObjectJson {
  return {
    key,
    ...(plain === undefined ? {} : { plainKey: plain }),
    size,
    digest,
    contentType: headers['Content-Type'] ?? null,
    cacheControl: headers['Cache-Control'] ?? null,
    headers,
    public: open,
    decidedBy: {
      contentType: null,
      cache: null,
      ...Object.fromEntries(Object.entries(decision.decidedBy).map(([property, { by }]) => [property, by])),
    },
    ...(facts.sniffed === '' ? {} : { sniffed: facts.sniffed }),
    lost: listLost(candidates),
  };
}

function listLost(candidates: readonly Candidate[]): Record<string, string[]> {
  const lost: Record<string, string[]> = {};
  for (const { property, by, outcome } of candidates)
    if (outcome !== 'decided') (lost[property] ??= []).push(by);
  return lost;
}
