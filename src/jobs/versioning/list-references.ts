/** Who refers to an object, and how each reference is rewritten when it is published. */
import { join } from 'node:path';
import { readObject } from '../../core/reading/read-object.js';
import { renamingKind } from '../../core/reading/reading-kind.js';
import { Readings } from '../../core/reading/readings.js';
import { plainKey } from '../../core/site/site-object.js';
import type { SurveyObject } from '../../core/site/survey.js';
import { LinkReader } from '../../core/versioning/links.js';
import { createNameFinder } from '../../core/reading/names-in-text.js';
import { NamedObjects } from '../../core/versioning/named-objects.js';
import { renameReference } from '../../core/versioning/rename-reference.js';
import { extension } from '../../core/site/key.js';
import { readPlain } from '../../disk/rewrite.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import { decodeText } from '../check/read-text.js';
import { viewSite } from '../host/view-site.js';
import type { Project } from '../project/open-project.js';
import { ownHosts } from '../project/own-hosts.js';
import type { Progress } from '../progress.js';

export interface ListedReference {
  /** The plain key of the text that it stands in. */
  readonly from: string;
  readonly line: number;
  /** As it is written. */
  readonly old: string;
  /** As it is published; the same where nothing is rewritten. */
  readonly new: string;
  /** Why it stays as it is although the object has another name; undefined where it does not, or need not. */
  readonly stays?: 'name' | 'place';
}

export interface ReferenceList {
  /** Its plain key. */
  readonly key: string;
  /** Its versioned one, where it has one. */
  readonly versioned?: string;
  readonly references: readonly ListedReference[];
}

/**
 * @param plain the site under its plain names @param named the same under the names that are published
 * @param wanted an object of the latter
 * @throws FenestraError FILE_CHANGING, FILE_UNREADABLE
 */
export function listReferences(
  project: Project,
  plain: SurveyedSite,
  named: SurveyedSite,
  wanted: SurveyObject,
  progress: Progress,
): ReferenceList {
  const key = plainKey(wanted);
  const versioned = named.objects.find((each) => each.plain === key)?.key;
  const { config, destination } = project;
  const settings = { ...destination.settings, readable: { keys: ['**'], except: [] } };
  const { view } = viewSite(plain, destination.bucket, settings, 0);
  const readings = new Readings();
  const links = new LinkReader({
    view,
    hosts: ownHosts(project),
    readings,
    numberOf: (each) => (each === key ? 0 : undefined),
  });
  const findNames = createNameFinder([extension(key)].filter((each) => each !== ''));
  const meant = new NamedObjects([key]);
  progress.step('inspect', { objects: plain.count });
  const texts = readTexts(plain.objects, config.site, readings, progress);
  for (const { object, row } of texts) links.addMapped(object.key, row);
  const references: ListedReference[] = [];
  for (const { object, kind, row, text } of texts) {
    const found: (ListedReference & { readonly at: number })[] = [];
    for (const { reference, isUncertain } of links.links(object.key, row)) {
      const { at, length, raw, line } = reference;
      const old = at < 0 ? raw : text.slice(at, at + length);
      const edit =
        versioned === undefined || isUncertain || at < 0
          ? undefined
          : renameReference({ ...reference, written: old }, key, versioned);
      const becomes = edit
        ? old.slice(0, edit.at - at) + edit.text + old.slice(edit.at - at + edit.length)
        : old;
      const stays = versioned !== undefined && !edit ? { stays: 'place' as const } : {};
      found.push({ from: object.key, line, at, old, new: becomes, ...stays });
    }
    for (const name of findNames(kind, text, readings.reading(row)))
      if (meant.meantBy(name).length > 0) {
        const old = name.behind === undefined ? name.name : `${name.name}…${name.behind}`;
        found.push({ from: object.key, line: name.line, at: name.at, old, new: old, stays: 'name' });
      }
    found.sort((a, b) => a.at - b.at);
    references.push(...found.map(({ at: _at, ...rest }) => rest));
  }
  return { key, ...(versioned === undefined ? {} : { versioned }), references };
}

interface ReadText {
  readonly object: SurveyObject;
  readonly kind: NonNullable<ReturnType<typeof renamingKind>>;
  readonly row: number;
  readonly text: string;
}

/** Whole texts are needed, so what was read before is of no use. */
function readTexts(
  objects: readonly SurveyObject[],
  folder: string,
  readings: Readings,
  progress: Progress,
): ReadText[] {
  return objects.flatMap((object, number) => {
    const kind = renamingKind(object);
    if (kind === undefined) return [];
    const { path, decision, digest } = object;
    const text = decodeText(object, readPlain(join(folder, path), decision.encoding, digest));
    progress.advance(0, number);
    return [{ object, kind, text, row: readings.add(object.key, readObject(kind, text)) }];
  });
}
