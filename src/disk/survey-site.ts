/** Surveying the site: every file to an object, reading only the files that are not known from last time. */
import * as crypto from 'node:crypto';
import { join } from 'node:path';
import { createReadPolicy, type ReadableSetting } from '../core/access/read-policy.js';
import { createCascade, type Assignments, type Cascade, type Decision } from '../core/assign/cascade.js';
import { FenestraError } from '../core/errors/catalogue.js';
import type { SurveyObject } from '../core/site/survey.js';
import { learnFile } from './learn.js';
import { readMemo, writeMemo, type MemoRow } from './memo.js';
import { absolutePath, walkSite, type LinkPolicy, type Walked } from './walk.js';

/** Raised whenever what a survey remembers of a file changes its meaning. */
const SURVEY_VERSION = 1;

export interface SurveyInput {
  /** Absolute path of the site folder. */
  readonly site: string;
  readonly links: LinkPolicy;
  readonly assignments: Assignments;
  readonly readable: ReadableSetting;
  /** Folder for what is remembered; undefined remembers nothing. */
  readonly memory?: string;
}

export interface SurveyedSite {
  /** In key order. */
  readonly objects: SurveyObject[];
  readonly cascade: Cascade;
  readonly walked: Walked;
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
  const walked = walkSite(input.site, input.links);
  if (walked.files.length === 0)
    throw new FenestraError('SITE_EMPTY', { path: input.site, left: leftOutNote(walked) });
  const cascade = createCascade(input.assignments);
  const policy = createReadPolicy(input.readable);
  const basis = crypto.hash('sha256', JSON.stringify([SURVEY_VERSION, input.assignments]), 'hex');
  const memoPath =
    input.memory === undefined
      ? undefined
      : join(input.memory, `${crypto.hash('sha256', input.site, 'hex').slice(0, 16)}.memo`);
  const memo = memoPath === undefined ? undefined : readMemo(memoPath);
  const sameBasis = memo?.basis === basis;
  const rows: MemoRow[] = [];
  let read = 0;
  for (const file of walked.files) {
    const known = memo?.recall(file);
    // With the config unchanged so is every decision; otherwise only the bytes' side is still known.
    if (known && sameBasis) {
      rows.push({ file, ...known });
      continue;
    }
    const decision = cascade.decide(file.key);
    if (known && sameReading(known.decision, decision)) {
      rows.push({ file, ...known, decision });
      continue;
    }
    read++;
    const path = absolutePath(input.site, file);
    rows.push({
      file,
      decision,
      ...(await learnFile(path, file.size, decision.headers['Content-Type'] ?? '', decision.encoding)),
    });
    if (progress && read % 64 === 0) {
      progress(rows.length, walked.files.length);
      await new Promise(setImmediate);
    }
  }
  if (memoPath !== undefined && (read > 0 || !sameBasis)) writeMemo(memoPath, basis, takenAt, rows);
  const objects = rows.map(({ file, decision, digest, size, facts }) => ({
    key: file.key,
    size,
    digest,
    headers: decision.headers,
    path: file.path,
    decision,
    facts,
    public: policy.isReadable(file.key),
  }));
  return { objects, cascade, walked, read };
}

/** Whether what was learned under one decision holds under another: the same bytes go out, read as the same type. */
const sameReading = (a: Decision, b: Decision): boolean =>
  a.encoding === b.encoding && a.headers['Content-Type'] === b.headers['Content-Type'];

function leftOutNote({ leftOut, links }: Walked): string {
  const parts = [];
  if (leftOut > 0) parts.push(`${leftOut} dot files or system files were left out`);
  if (links.length > 0) parts.push(`${links.length} links were left out`);
  return parts.length > 0 ? ` (${parts.join(', ')})` : '';
}
