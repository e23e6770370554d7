/** Surveying the site: every file to an object, reading only the files that are not known from last time. */
import * as crypto from 'node:crypto';
import { join } from 'node:path';
import { isAlsoSources, isText } from '../core/assign/media-type.js';
import { createReadPolicy, type ReadableSetting } from '../core/access/read-policy.js';
import { createCascade, type Assignments, type Cascade, type Decision } from '../core/assign/cascade.js';
import { FenestraError } from '../core/errors/catalogue.js';
import type { Finding } from '../core/findings/finding.js';
import type { ObjectHeaders } from '../core/site/site-object.js';
import { groupObjects, type ObjectGroup } from '../core/site/groups.js';
import type { SurveyObject } from '../core/site/survey.js';
import type { SiteFile } from './file-list.js';
import { readMemo, writeMemo, type Memo, type MemoRow, type Remembered } from './memo.js';
import { absolutePath, walkSite, type LinkPolicy, type Walked } from './walk.js';

export interface SurveyInput {
  /** Absolute path of the site folder. */
  readonly site: string;
  readonly links: LinkPolicy;
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
  readonly walked: Walked;
  /** When the walk began: milliseconds since the epoch. */
  readonly takenAt: number;
  /** How many files were read because they were new or changed. */
  readonly read: number;
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
  const walked = walkSite(input.site, input.links, expected);
  if (walked.count === 0)
    throw new FenestraError('SITE_EMPTY', { path: input.site, left: leftOutNote(walked) });
  const cascade = createCascade(input.assignments);
  const findingsBasis = digestOf([basis, input.readable, input.inspectBasis, walked.links]);
  const summary = memo?.basis === basis && walked.same ? memo.summary : undefined;

  if (memo && summary && summary.findingsBasis === findingsBasis) {
    let made: SurveyObject[] | undefined;
    const recall = (): SurveyObject[] => {
      const toObject = objectMaker(input.readable);
      return walked.files.flatMap((file) => {
        const known = memo.recall(file);
        return known ? toObject(file, known) : [];
      });
    };
    return {
      get objects() {
        return (made ??= recall());
      },
      count: walked.count,
      identity: summary.identity,
      findings: summary.findings,
      groups: summary.groups,
      cascade,
      walked,
      takenAt,
      read: 0,
    };
  }

  const { rows, read } = await readRows(input, walked, cascade, memo, memo?.basis === basis, progress);
  const toObject = objectMaker(input.readable);
  const objects = rows.map((row) => toObject(row.file, row));
  const site = {
    objects,
    groups: groupObjects(objects),
    count: objects.length,
    identity: summary?.identity ?? identityOf(rows),
    cascade,
    walked,
    takenAt,
    read,
  };
  const findings = await input.inspect(site);
  if (path !== undefined) {
    // What an Expires date means changes as time goes by, so such findings are looked for each time.
    const lasting = rows.every(({ decision }) => decision.headers['Expires'] === undefined);
    writeMemo(path, basis, takenAt, rows, walked.folders, {
      identity: site.identity,
      groups: site.groups,
      findings,
      findingsBasis: lasting ? findingsBasis : '',
    });
  }
  return { ...site, findings };
}

async function readRows(
  input: SurveyInput,
  walked: Walked,
  cascade: Cascade,
  memo: Memo | undefined,
  sameBasis: boolean,
  progress?: (done: number, all: number) => void,
): Promise<{ rows: MemoRow[]; read: number }> {
  const rows: MemoRow[] = [];
  const unknown: { readonly row: number; readonly file: SiteFile; readonly decision: Decision }[] = [];
  for (const [row, file] of walked.files.entries()) {
    const known = memo?.recall(file);
    // With the config unchanged so is every decision; otherwise only the bytes' side is still known.
    const decision = known && sameBasis ? known.decision : cascade.decide(file.key);
    if (known && sameReading(known.decision, decision)) rows[row] = { file, ...known, decision };
    else unknown.push({ row, file, decision });
  }
  if (unknown.length === 0) return { rows, read: 0 };
  // What reads files is loaded where there are some to read.
  const { fingerprintAll } = await import('./fingerprint-all.js');
  const learned = await fingerprintAll(
    unknown.map(({ file, decision }) => ({
      path: absolutePath(input.site, file),
      size: file.size,
      contentType: decision.headers['Content-Type'] ?? '',
      encoding: decision.encoding,
    })),
    (done) => progress?.(done, unknown.length),
  );
  unknown.forEach(({ row, file, decision }, at) => {
    const each = learned[at];
    if (!each) return;
    const textual = isText(each.facts.sniffed) && isAlsoSources(decision.headers['Content-Type'] ?? '');
    // What was sniffed contradicted the name, which meant something else.
    const facts = textual ? { ...each.facts, sniffed: '' } : each.facts;
    rows[row] = { file, ...each, facts, decision: textual ? cascade.decide(file.key, true) : decision };
  });
  return { rows, read: unknown.length };
}

/** Whether what was learned under one decision holds under another: the same bytes go out, read as the same type. */
const sameReading = (a: Decision, b: Decision): boolean =>
  a.encoding === b.encoding && a.headers['Content-Type'] === b.headers['Content-Type'];

function objectMaker(readable: ReadableSetting): (file: SiteFile, known: Remembered) => SurveyObject {
  const policy = createReadPolicy(readable);
  return (file, { decision, digest, size, facts }) => ({
    key: file.key,
    size,
    digest,
    headers: decision.headers,
    path: file.path,
    stamp: file,
    decision,
    facts,
    public: policy.isReadable(file.key),
  });
}

const digestOf = (value: unknown): string => crypto.hash('sha256', JSON.stringify(value), 'hex');

function identityOf(rows: readonly MemoRow[]): string {
  const texts = new Map<ObjectHeaders, string>();
  const hash = crypto.createHash('sha256');
  for (const { file, digest, decision } of rows) {
    let text = texts.get(decision.headers);
    if (text === undefined)
      texts.set(decision.headers, (text = JSON.stringify(Object.entries(decision.headers).sort())));
    hash.update(`${file.key}\0${digest}\0${text}\0`);
  }
  return hash.digest('hex');
}

function leftOutNote({ leftOut, links }: Walked): string {
  const parts = [];
  if (leftOut > 0) parts.push(`${leftOut} dot files or system files were left out`);
  if (links.length > 0) parts.push(`${links.length} links were left out`);
  return parts.length > 0 ? ` (${parts.join(', ')})` : '';
}
