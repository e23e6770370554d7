/** Surveying the site: every file to an object, reading only the files that are not known from last time. */
import * as crypto from 'node:crypto';
import { join } from 'node:path';
import { isAlsoSources, isText } from '../core/assign/media-type.js';
import type { ReadableSetting } from '../core/access/read-policy.js';
import { createCascade, type Assignments, type Cascade, type Decision } from '../core/assign/cascade.js';
import { FenestraError } from '../core/errors/catalogue.js';
import type { Finding } from '../core/findings/finding.js';
import type { Facts, ObjectHeaders, SiteObject } from '../core/site/site-object.js';
import { groupObjects, type ObjectGroup } from '../core/site/groups.js';
import type { SurveyObject } from '../core/site/survey.js';
import type { SiteFile } from './file-list.js';
import { packFiles } from './file-columns.js';
import { readMemo, writeMemo, type SurveyCache } from './survey-cache.js';
import { objectMaker } from './object-maker.js';
import { extendTrail, type PastState } from './trail.js';
import type { OwnFiles } from './own-files.js';
import { walkSite, type LinkPolicy, type Walked } from './walk.js';
import { fingerprintAll } from './fingerprint-all.js';
import type { NameCounts } from '../core/versioning/naming.js';

export interface SurveyInput {
  /** Absolute path of the site folder. */
  readonly site: string;
  readonly links: LinkPolicy;
  /** What is never part of the site. */
  readonly own?: OwnFiles;
  readonly assignments: Assignments;
  readonly readable: ReadableSetting;
  /** The program's build: what another one remembers is not trusted. */
  readonly build: string;
  /** Folder for what is remembered; undefined remembers nothing. */
  readonly memory?: string;
  /** Inspects the surveyed site. */
  readonly inspect: (site: Omit<SurveyedSite, 'findings'>) => Finding[] | Promise<Finding[]>;
  /** Everything besides the objects that the inspection depends on. */
  readonly inspectBasis: unknown;
}

export interface SurveyedSite {
  /** In key order. Made when first asked for: a publish that changes nothing never asks. */
  readonly objects: readonly SurveyObject[];
  readonly count: number;
  /** Digest of every key with its bytes and headers: equal sites publish the same. */
  readonly identity: string;
  readonly findings: readonly Finding[];
  readonly groups: readonly ObjectGroup[];
  readonly cascade: Cascade;
  /** What was left out on the way. */
  readonly walked: Pick<Walked, 'links' | 'own' | 'idle' | 'leftOut'>;
  /** When the walk began: milliseconds since the epoch. */
  readonly takenAt: number;
  /** How many files were read because they were new or changed. */
  readonly read: number;
  /** Under which names it is published, where some are versioned. */
  readonly names?: NameCounts | undefined;
  /** States that it was in before, with the few keys in which it differs from each. */
  readonly trail?: readonly PastState[] | undefined;
}

/**
 * @param progress called now and then with files done and files in all
 * @throws FenestraError SITE_MISSING, SITE_NOT_FOLDER, SITE_EMPTY, SITE_FAULTS, FILE_UNREADABLE, FILE_CHANGING
 */
export async function surveySite(
  input: SurveyInput,
  progress?: (done: number, all: number) => void,
): Promise<SurveyedSite> {
  const takenAt = Date.now();
  const path =
    input.memory === undefined ? undefined : join(input.memory, `${digestOf(input.site).slice(0, 16)}.memo`);
  const memo = path === undefined ? undefined : readMemo(path);
  const basis = digestOf([input.build, input.assignments]);
  // What another build leaves out of a folder is not known.
  const expected = memo?.expected && {
    ...memo.expected,
    ...(memo.basis === basis ? {} : { folders: undefined }),
  };
  const walked = walkSite(input.site, { links: input.links, expected, own: input.own });
  if (walked.count === 0)
    throw new FenestraError('SITE_EMPTY', { path: input.site, left: leftOutNote(walked) });
  const cascade = createCascade(input.assignments);
  const findingsBasis = digestOf([
    basis,
    input.readable,
    input.inspectBasis,
    walked.links,
    walked.own,
    walked.idle,
  ]);
  const summary = memo?.basis === basis && walked.same ? memo.summary : undefined;

  if (memo && summary && summary.findingsBasis === findingsBasis) {
    const { links, own, idle, leftOut, count } = walked;
    let source: { walked: Walked; memo: SurveyCache } | undefined = { walked, memo };
    let made: SurveyObject[] = [];
    return {
      get objects() {
        if (source) made = recallObjects(input.readable, source.walked, source.memo);
        // The objects tell of all that it does.
        source = undefined;
        return made;
      },
      count,
      identity: summary.identity,
      findings: summary.findings,
      groups: summary.groups,
      cascade,
      walked: { links, own, idle, leftOut },
      takenAt,
      read: 0,
      trail: summary.trail,
    };
  }

  const sameBasis = memo?.basis === basis;
  const { objects, changed } = await readObjects(input, walked, cascade, memo, sameBasis, progress);
  const was = sameBasis ? memo?.summary : undefined;
  const trail = walked.same ? was?.trail : extendTrail(was, [...changed, ...(memo?.listGone() ?? [])]);
  const site = {
    objects,
    groups: groupObjects(objects),
    count: objects.length,
    identity: summary?.identity ?? identityOf(objects),
    cascade,
    // Not the files, which the objects tell of.
    walked: { links: walked.links, own: walked.own, idle: walked.idle, leftOut: walked.leftOut },
    takenAt,
    read: changed.length,
    trail,
  };
  const findings = await input.inspect(site);
  if (path !== undefined) {
    // What an Expires date means changes as time goes by, so such findings are looked for each time.
    const lasting = objects.every(({ decision }) => decision.headers['Expires'] === undefined);
    writeMemo(path, basis, takenAt, objects, walked.folders, {
      identity: site.identity,
      groups: site.groups,
      findings,
      findingsBasis: lasting ? findingsBasis : '',
      trail,
    });
  }
  return { ...site, findings };
}

function recallObjects(
  readable: ReadableSetting,
  { count, files }: Walked,
  memo: SurveyCache,
): SurveyObject[] {
  const toObject = objectMaker(readable, count);
  return files.flatMap((file) => {
    const known = memo.recall(file);
    return known ? toObject(file, known) : [];
  });
}

async function readObjects(
  input: SurveyInput,
  walked: Walked,
  cascade: Cascade,
  memo: SurveyCache | undefined,
  sameBasis: boolean,
  progress?: (done: number, all: number) => void,
): Promise<{ objects: SurveyObject[]; /** The keys of what was read. */ changed: string[] }> {
  const { files } = walked;
  const toObject = objectMaker(input.readable, files.length);
  const objects = new Array<SurveyObject>(files.length);
  /** The rows of the files that have to be read, and what was decided for them by their names. */
  const unknown: number[] = [];
  const decisions: Decision[] = [];
  for (const [row, file] of files.entries()) {
    const known = memo?.recall(file);
    // With the config unchanged so is every decision; otherwise only the bytes' side is still known.
    const decision = known && sameBasis ? known.decision : cascade.decide(file.key);
    if (known && sameReading(known.decision, decision)) objects[row] = toObject(file, { ...known, decision });
    else {
      unknown.push(row);
      decisions.push(decision);
    }
  }
  if (unknown.length === 0) return { objects, changed: [] };
  // What reads files is loaded where there are some to read.
  const interned = new Map<string, Facts>();
  await fingerprintAll(
    packFiles(input.site, listAt(files, unknown), decisions.map(readAs)),
    (at, { digest, size, facts: found }) => {
      const [row = 0, decision] = [unknown[at], decisions[at]];
      const file = files[row];
      if (!file || !decision) return;
      const textual = isText(found.sniffed) && isAlsoSources(decision.headers['Content-Type'] ?? '');
      // What was sniffed contradicted the name, which meant something else.
      const facts = intern(interned, textual ? { ...found, sniffed: '' } : found);
      const decided = textual ? cascade.decide(file.key, true) : decision;
      objects[row] = toObject(file, { digest, size, facts, decision: decided });
    },
    (done) => progress?.(done, unknown.length),
  );
  return { objects, changed: Array.from(listAt(files, unknown), ({ key }) => key) };
}

const readAs = ({
  headers,
  encoding,
}: Decision): { contentType: string; encoding: Decision['encoding'] } => ({
  contentType: headers['Content-Type'] ?? '',
  encoding,
});

function* listAt(files: readonly SiteFile[], rows: readonly number[]): Generator<SiteFile> {
  for (const row of rows) {
    const file = files[row];
    if (file) yield file;
  }
}

/** Many files are known by few facts. */
function intern(known: Map<string, Facts>, facts: Facts): Facts {
  const text = `${facts.sniffed} ${facts.charset} ${facts.utf8} ${facts.emails} ${facts.program ?? ''}`;
  const same = known.get(text);
  if (!same) known.set(text, facts);
  return same ?? facts;
}

/** Whether what was learned under one decision holds under another: the same bytes go out, read as the same type. */
const sameReading = (a: Decision, b: Decision): boolean =>
  a.encoding === b.encoding && a.headers['Content-Type'] === b.headers['Content-Type'];

const digestOf = (value: unknown): string => crypto.hash('sha256', JSON.stringify(value), 'hex');

/** Digest of every key with its bytes and headers, and with the name that patterns match where that is another. */
export function identityOf(objects: readonly SiteObject[]): string {
  const texts = new Map<ObjectHeaders, string>();
  const hash = crypto.createHash('sha256');
  for (const { key, digest, headers, plain } of objects) {
    let text = texts.get(headers);
    if (text === undefined) texts.set(headers, (text = JSON.stringify(Object.entries(headers).sort())));
    hash.update(`${key}\0${digest}\0${text}\0`);
    if (plain !== undefined) hash.update(`${plain}\0\0`);
  }
  return hash.digest('hex');
}

function leftOutNote({ leftOut, links }: Walked): string {
  const parts = [];
  if (leftOut > 0) parts.push(`${leftOut} dot files or system files were left out`);
  if (links.length > 0) parts.push(`${links.length} links were left out`);
  return parts.length > 0 ? ` (${parts.join(', ')})` : '';
}
