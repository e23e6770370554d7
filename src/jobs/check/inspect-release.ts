/** The inspection of a release: the survey's rules on what is published, and the rules on what its texts refer to. */
import { essence, isText } from '../../core/assign/media-type.js';
import { parsePattern } from '../../core/assign/pattern.js';
import { createReadPolicy } from '../../core/access/read-policy.js';
import { isDeepEqual } from '../../core/release/plain-data.js';
import { ReleaseReader, type ReleaseInput } from '../../core/check/release-reader.js';
import { inspectRelease } from '../../core/check/release-rules.js';
import type { ReleaseContext, UsedAddress } from '../../core/check/release-context.js';
import { longKeptName } from '../../core/check/rules/long-kept-name.js';
import { referenceNotRewritten } from '../../core/check/rules/reference-not-rewritten.js';
import { byLevel, inspectSurvey } from '../../core/check/survey-rules.js';
import type { BucketView } from '../../core/hosting/bucket-view.js';
import { ownKey } from '../../core/check/rule.js';
import type { Finding } from '../../core/findings/finding.js';
import { NO_FACTS, plainKey, siteObject, type StoredObject } from '../../core/site/site-object.js';
import { createVersionable } from '../../core/versioning/versionable.js';
import type { SurveyObject } from '../../core/site/survey.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import type { Project } from '../project/open-project.js';
import { ownHosts } from '../project/own-hosts.js';
import { listNeighbours, listOrigins, type OtherBucket } from './list-neighbours.js';
import type { Progress } from '../progress.js';
import { readText } from './read-text.js';
import {
  basisOf,
  readingId,
  recallFindings,
  recallReadings,
  rememberFindings,
  rememberReadings,
} from './remember.js';

export interface Release {
  /** As it is once its bucket is open. */
  readonly view: BucketView;
  /** In key order. */
  readonly objects: readonly StoredObject[];
  /** Undefined for bytes that somebody else has put others in the place of. */
  readonly read: (object: StoredObject) => Promise<Buffer | undefined>;
  /** The path of its host below which the site lies, with its closing slash. */
  readonly place?: string | undefined;
  /** Whether it is the site folder as it was surveyed. */
  readonly asSurveyed: boolean;
  /** Objects of the site that its store cannot keep from the public, so that they were not sent. */
  readonly withheld?: readonly SurveyObject[] | undefined;
  /** What else lies in the store, where that is known. */
  readonly others?: readonly OtherBucket[] | undefined;
}

export interface Inspection {
  readonly findings: readonly Finding[];
  /** The addresses that the site itself refers to. */
  readonly addresses: readonly UsedAddress[];
  /** How many texts were read. */
  readonly read: number;
}

/**
 * @param hosts further hosts at which the site answers
 * @param withAddresses whether the addresses are asked for; without them what was found before is enough
 * @throws FenestraError BODY_DAMAGED
 */
export async function inspect(
  release: Release,
  project: Project,
  survey: SurveyedSite,
  hosts: readonly string[],
  withAddresses: boolean,
  progress: Progress,
): Promise<Inspection> {
  const { view, objects } = release;
  const { under = '' } = project.destination;
  const { place } = release;
  const all = [...ownHosts(project), ...hosts];
  const neighbours = listNeighbours(project, release.others ?? []);
  const origins = listOrigins(project);
  const input = { view, objects, under, place, address: project.address, hosts: all, neighbours, origins };
  progress.step('inspect', { objects: objects.length });
  const basis = basisOf(input, project);
  const known = withAddresses ? undefined : recallFindings(project, basis);
  const asSurveyed = (versioned: readonly string[]): readonly Finding[] =>
    inspectAsSurveyed(release, project, survey).filter(
      ({ rule, key }) => rule !== longKeptName.name || key === undefined || !versioned.includes(key),
    );
  if (known) {
    const findings = [...asSurveyed(known.versioned), ...known.findings];
    return { findings: findings.sort(byLevel), addresses: [], read: known.read };
  }
  const plain = new Map(
    objects.flatMap(({ key, plain: was }) => (was === undefined ? [] : [[key, was] as const])),
  );
  const typeRule = (key: string): string | undefined => rulePlace(project, survey, plain.get(key) ?? key);
  let surveyed: Map<string, SurveyObject> | undefined;
  const bytesAre = (key: string): string | undefined => {
    surveyed ??= new Map(survey.objects.map((object) => [object.key, object]));
    return surveyed.get(plain.get(key) ?? key)?.facts.sniffed || undefined;
  };
  const reader = { ...input, typeRule, bytesAre };
  const { context, read } = await readTexts(release, project, reader, progress);
  const findings = inspectRelease(context).map((finding) => nameOwn(finding, plain, under));
  const versioned = [...context.versionedByQuery].map((key) => ownKey({ under }, key));
  rememberFindings(project, { basis, findings, versioned, read });
  return {
    findings: [...asSurveyed(versioned), ...findings].sort(byLevel),
    addresses: context.addresses,
    read,
  };
}

/**
 * A finding at the place where it can be mended: the file as it is called in the site.
 * @param plain names by versioned ones
 * @param under the folder of the bucket that the site lies in
 */
function nameOwn(finding: Finding, plain: ReadonlyMap<string, string>, under: string): Finding {
  const { key, about, elsewhere } = finding;
  const own = (name: string): string => ownKey({ under }, plain.get(name) ?? name);
  const versioned = [key, about].filter((name) => name !== undefined && plain.has(name)) as string[];
  const fix = versioned.reduce((text, name) => text.replaceAll(name, plain.get(name) ?? name), finding.fix);
  return {
    ...finding,
    fix,
    ...(key === undefined ? {} : { key: own(key) }),
    ...(key !== undefined && plain.has(key) ? { publishedAs: key } : {}),
    ...(about !== undefined && plain.has(about) ? { about: plain.get(about) ?? about } : {}),
    ...(elsewhere ? { elsewhere: elsewhere.map((place) => ({ ...place, key: own(place.key) })) } : {}),
  };
}

/** Reads every text that was not read before, and resolves what all of them refer to. */
async function readTexts(
  release: Release,
  project: Project,
  input: ReleaseInput,
  progress: Progress,
): Promise<{ readonly context: ReleaseContext; readonly read: number }> {
  const { view, objects } = release;
  const readings = recallReadings(project);
  const reader = new ReleaseReader(input, readings);
  let read = 0;
  let seen = 0;
  // A fault is shown at its first place, which had better be one that visitors can see.
  const readable = createReadPolicy(view.settings).isReadable;
  const order = [
    ...objects.filter(({ key }) => readable(key)),
    ...objects.filter(({ key }) => !readable(key)),
  ];
  for (const object of order) {
    seen++;
    const kind = reader.kindOf(object);
    if (kind === undefined) continue;
    const id = readingId(object, kind);
    if (!reader.recall(object, kind, id)) {
      const bytes = await release.read(object);
      const text = bytes && readText(object, bytes);
      if (text === undefined) continue;
      reader.add(object, kind, text, id);
    }
    read++;
    progress.advance(0, seen);
  }
  const context = reader.finish();
  rememberReadings(project, readings);
  return { context, read };
}

/** Where the rule stands that gives a key its type: `fenestra.yaml line 12`. */
function rulePlace({ config }: Project, { cascade }: SurveyedSite, key: string): string | undefined {
  const number = cascade.decide(key).decidedBy.contentType?.rule;
  const { file, rules } = config.assignments;
  const rule = rules.find((each) => each.number === number);
  return rule && `${file} line ${rule.line}`;
}

/** The survey's findings, of the release: they are the folder's own where both are the same. */
function inspectAsSurveyed(
  { view, objects, asSurveyed, withheld = [] }: Release,
  { config, destination }: Project,
  survey: SurveyedSite,
): readonly Finding[] {
  // What is published under its plain name too is a matter of publishing, and no fault of what is published.
  // Of a bucket that several sites share, the settings are those of all of them.
  const isShared = view.settings.sites !== undefined;
  if (isShared || (asSurveyed && isDeepEqual(view.settings, destination.settings)))
    return survey.findings.filter(({ rule }) => rule !== referenceNotRewritten.name);
  const { versioned } = config.assignments;
  const known = new Map(survey.objects.map((object) => [object.key, object]));
  // Rules speak of plain names, and each of them once.
  const versions = new Set(objects.flatMap(({ plain }) => plain ?? []));
  const named = objects.filter(({ key, plain }) => plain !== undefined || !versions.has(key));
  const policy = createReadPolicy(view.settings);
  const allowed = config.allow.map(parsePattern);
  return inspectSurvey({
    objects: [...named, ...withheld.map((object) => ({ ...siteObject(object), since: 0 }))].map((object) => {
      const file = known.get(object.key);
      const key = plainKey(object);
      return {
        ...object,
        key,
        path: key,
        stamp: { size: object.size, mtimeMs: 0, ctimeMs: 0, inode: 0 },
        decision: survey.cascade.decide(
          key,
          isText(essence(object.headers['Content-Type'] ?? '')),
          object.plain === undefined,
        ),
        facts: file && isSame(object, file) ? file.facts : NO_FACTS,
        public: policy.isReadable(key),
      };
    }),
    keys: new Set(named.map(plainKey)),
    cascade: survey.cascade,
    assignments: config.assignments,
    versionable: versioned && createVersionable(versioned),
    settings: view.settings,
    buckets: config.destinations.map(({ bucket }) => bucket),
    allowed: (key) => allowed.some((matches) => matches(key)),
    links: survey.walked.links,
    now: Date.now(),
  });
}

const isSame = (object: StoredObject, file: SurveyObject | undefined): boolean =>
  file?.digest === object.digest &&
  file.headers['Content-Type'] === object.headers['Content-Type'] &&
  file.headers['Cache-Control'] === object.headers['Cache-Control'];
