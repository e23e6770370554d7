/** Names the objects of a surveyed site: reads its texts, and rewrites those that have to name others anew. */
import { isUtf8 } from 'node:buffer';
import * as crypto from 'node:crypto';
import { join } from 'node:path';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { Finding } from '../../core/findings/finding.js';
import { referenceNotRewritten } from '../../core/check/rules/reference-not-rewritten.js';
import { LinkReader } from '../../core/versioning/links.js';
import { nameSite } from '../../core/versioning/name-site.js';
import type { Rewritten, SiteNames } from '../../core/versioning/naming.js';
import { rewriteText, type TextEdit } from '../../core/versioning/rename-reference.js';
import { rewriteBytes } from '../../core/versioning/rewrite-bytes.js';
import {
  createVersionable,
  type Versionable,
  type VersionedSetting,
} from '../../core/versioning/versionable.js';
import type { SurveyObject } from '../../core/site/survey.js';
import { encodeBytes } from '../../disk/encode.js';
import { readPlain } from '../../disk/rewrite.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import { decodeText } from '../check/read-text.js';
import { recallReadings, rememberReadings } from '../check/remember.js';
import { viewSite } from '../host/view-site.js';
import type { Project } from '../project/open-project.js';
import { ownHosts } from '../project/own-hosts.js';
import type { Progress } from '../progress.js';
import { charsetOf } from './published-objects.js';
import { searchNames } from './search-names.js';
import { readSiteTexts } from './read-site-texts.js';
import { EditWriter, type NamedRow, type NamedTable } from './remember-names.js';

/**
 * @param before what was named last time
 * @throws FenestraError FILE_CHANGING, FILE_UNREADABLE
 */
export async function nameObjects(
  project: Project,
  survey: SurveyedSite,
  setting: VersionedSetting,
  before: NamedTable | undefined,
  progress: Progress,
): Promise<{ readonly table: NamedTable; readonly findings: readonly Finding[] }> {
  const { objects } = survey;
  const { config, destination } = project;
  const versionable = createVersionable(setting);
  const typeOf = ({ headers }: SurveyObject): string => headers['Content-Type'] ?? '';
  const readings = recallReadings(project);
  const texts = readSiteTexts(
    objects,
    (object) => versionable.covers(object.key, typeOf(object)),
    config.site,
    readings,
    progress,
  );
  const settings = { ...destination.settings, readable: { keys: ['**'], except: [] } };
  const { view } = viewSite(survey, destination.bucket, settings, 0);
  const at = (number: number): SurveyObject => {
    const object = objects[number];
    if (!object) throw new RangeError(`there is no object ${number}`);
    return object;
  };
  const read = (number: number): Buffer => {
    const { path, decision, digest } = at(number);
    return readPlain(join(config.site, path), decision.encoding, digest);
  };
  const rewrite = (number: number, bytes: Buffer, edits: readonly TextEdit[]): Buffer | undefined => {
    const charset = charsetOf(at(number));
    const rewritten = rewriteBytes(bytes, charset, edits);
    // Where bytes are not what they say, the result has to read as it was meant.
    if (/^utf-?8$/i.test(charset) && isUtf8(bytes)) return rewritten;
    const meant = rewriteText(decodeText(at(number), bytes), edits);
    return decodeText(at(number), rewritten) === meant ? rewritten : undefined;
  };
  const recall = rowsByKey(before);
  const names = await nameSite({
    objects: objects.map((object, number) => ({
      key: object.key,
      type: typeOf(object),
      content: object.decision.encoding === undefined ? object.digest : undefined,
      row: texts.rows.get(number),
    })),
    versionable,
    readings,
    links: (numberOf) => new LinkReader({ view, hosts: ownHosts(project), readings, numberOf }),
    names: (number) => texts.names(number),
    moved: destination.settings.moved,
    read: async (number) => read(number),
    textOf: (number, bytes) => decodeText(at(number), bytes),
    rewrite,
    publish: async (number, edits, make) => {
      const { key, digest, decision } = at(number);
      const same = recall(key, digest, edits);
      if (same) return same;
      const bytes = await make();
      return bytes && describe(bytes, decision.encoding);
    },
    search: (wanted, editsOf) => searchNames(objects, config.site, readings, wanted, editsOf),
    digest: (algorithm, bytes, form) => crypto.hash(algorithm, bytes, form),
    digestText: (text) => crypto.hash('sha256', text, 'hex'),
    advance: (done) => progress.advance(0, done),
  });
  rememberReadings(project, readings);
  assertNothingLost(names);
  return { table: tableOf(objects, names), findings: describeUncertain(objects, names, versionable) };
}

/** @throws FenestraError NAMES_BROKEN */
function assertNothingLost({ lost }: SiteNames): void {
  const [first] = lost;
  if (!first) return;
  const { key, line, written, target } = first;
  throw new FenestraError('NAMES_BROKEN', { count: lost.length, place: `${key}:${line}`, written, target });
}

function describe(bytes: Buffer, encoding: SurveyObject['decision']['encoding']): Rewritten {
  const content = crypto.hash('sha256', bytes, 'hex');
  if (encoding === undefined) return { digest: content, size: bytes.length, content };
  const encoded = encodeBytes(bytes, encoding);
  return { digest: crypto.hash('sha256', encoded, 'hex'), size: encoded.length, content };
}

/** What a text became last time, where it and its edits are the same. */
function rowsByKey(
  before: NamedTable | undefined,
): (key: string, digest: string, edits: readonly TextEdit[]) => Rewritten | undefined {
  const rows = new Map((before?.rows ?? []).map((row) => [row.key, row]));
  return (key, digest, edits) => {
    const row = rows.get(key);
    if (!before || !row?.edits || row.digest !== digest || row.edits[1] - row.edits[0] !== edits.length)
      return undefined;
    let number = 0;
    for (const { at, length, text } of before.edits.list(...row.edits)) {
      const now = edits[number++];
      if (now?.at !== at || now.length !== length || now.text !== text) return undefined;
    }
    return row.rewritten;
  };
}

function tableOf(
  objects: readonly SurveyObject[],
  { versioned, edits, rewritten, keptPlain, leftPlain }: SiteNames,
): NamedTable {
  const writer = new EditWriter();
  const rows = objects.flatMap(({ key, digest }, number): NamedRow[] => {
    const name = versioned.get(number);
    const changes = edits.get(number);
    const made = rewritten.get(number);
    if (name === undefined && !changes && !leftPlain.has(number)) return [];
    return [
      {
        key,
        digest,
        ...(name === undefined ? {} : { versioned: name }),
        ...(keptPlain.has(number) || leftPlain.has(number) ? { kept: true } : {}),
        ...(made ? { rewritten: made } : {}),
        ...(changes ? { edits: writer.add(changes) } : {}),
      },
    ];
  });
  return { rows, edits: writer.finish() };
}

/** What keeps its plain name for no other reason. */
function describeUncertain(
  objects: readonly SurveyObject[],
  { uncertain, versioned, leftPlain }: SiteNames,
  { keepsPlain }: Versionable,
): Finding[] {
  const named = uncertain.flatMap(({ target, object, line, written, how, because }) => {
    const key = objects[target]?.key;
    const becomes = versioned.get(target);
    if (key === undefined || (how !== 'text' && !leftPlain.has(target) && keepsPlain(key))) return [];
    const from = object === undefined ? undefined : objects[object]?.key;
    return [
      {
        key,
        ...(becomes === undefined ? {} : { becomes }),
        written,
        how,
        ...(because === undefined ? {} : { because }),
        ...(from === undefined ? {} : { from, line }),
      },
    ];
  });
  return [...referenceNotRewritten.inspect({ uncertain: named })];
}
