/** What a check need not do again: reading a text that it has read, and working out its findings again. */
import * as crypto from 'node:crypto';
import { join } from 'node:path';
import { parseMediaType } from '../../core/assign/media-type.js';
import { decodeReadings, encodeReadings, Readings } from '../../core/reading/readings.js';
import type { ReadingKind } from '../../core/reading/reading.js';
import type { ReleaseInput } from '../../core/check/release-reader.js';
import type { Finding } from '../../core/findings/finding.js';
import { sortedJson } from '../../core/release/plain-data.js';
import type { ObjectHeaders, SiteObject } from '../../core/site/site-object.js';
import { readKept, writeKept } from '../../files/kept-file.js';
import { BUILD } from '../project/build.js';
import type { Project } from '../project/open-project.js';
import { surveyMemory } from '../survey/survey-memory.js';

const BUILT_AS = BUILD ?? 'unbundled';
/** Findings that are kept: of a few destinations, and of some releases back. */
const MAX_KEPT = 6;

const pathOf = ({ config }: Pick<Project, 'config'>, name: string): string =>
  join(surveyMemory(config.folder), name);

/** Names a text and how it is read among all readings. */
export function readingId({ digest, headers }: SiteObject, kind: ReadingKind): string {
  const charset = parseMediaType(headers['Content-Type'] ?? '')?.parameters.get('charset') ?? '';
  return [digest, kind, headers['Content-Encoding'] ?? '', charset.replace(/\s/g, '')].join(' ');
}

export function recallReadings(project: Pick<Project, 'config'>): Readings {
  const bytes = readKept(pathOf(project, 'readings'), BUILT_AS);
  if (!bytes) return new Readings();
  try {
    return new Readings(decodeReadings(bytes));
  } catch {
    return new Readings();
  }
}

export function rememberReadings(project: Pick<Project, 'config'>, readings: Readings): void {
  if (readings.hasNew) writeKept(pathOf(project, 'readings'), BUILT_AS, encodeReadings(readings.pack()));
}

/** What was found in the texts of a release, and how many there were. */
export interface KnownFindings {
  readonly basis: string;
  readonly findings: readonly Finding[];
  /** Files that are loaded by addresses with a version alone. */
  readonly versioned: readonly string[];
  readonly read: number;
}

/** Digest of everything that the findings on a release's texts depend on. */
export function basisOf(
  {
    view,
    objects,
    address,
    hosts,
    place = '/',
    neighbours,
    origins,
  }: Omit<ReleaseInput, 'typeRule' | 'bytesAre'>,
  { config }: Project,
): string {
  const { name, settings } = view;
  const hash = crypto.createHash('sha256');
  hash.update(
    sortedJson({
      name,
      settings,
      address,
      hosts,
      place,
      neighbours,
      origins,
      assignments: config.assignments,
    }),
  );
  const labels = new Map<ObjectHeaders, string>();
  for (const { key, digest, headers } of objects) {
    let label = labels.get(headers);
    if (label === undefined) labels.set(headers, (label = sortedJson(headers)));
    hash.update(`${JSON.stringify(key)} ${digest} ${label}\n`);
  }
  return hash.digest('hex');
}

const knownBefore = (project: Project): readonly KnownFindings[] => {
  const bytes = readKept(pathOf(project, 'findings'), BUILT_AS);
  if (!bytes) return [];
  try {
    return JSON.parse(bytes.toString()) as readonly KnownFindings[];
  } catch {
    return [];
  }
};

export const recallFindings = (project: Project, basis: string): KnownFindings | undefined =>
  knownBefore(project).find((each) => each.basis === basis);

export function rememberFindings(project: Project, found: KnownFindings): void {
  const others = knownBefore(project).filter(({ basis }) => basis !== found.basis);
  const kept = [found, ...others].slice(0, MAX_KEPT);
  writeKept(pathOf(project, 'findings'), BUILT_AS, [Buffer.from(JSON.stringify(kept))]);
}
