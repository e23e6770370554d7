/** What real browsers were seen to ask for on the pages of a project: remembered beside its survey. */
import { join } from 'node:path';
import type { SeenPage, SeenPages } from '../../core/visiting/seen-requests.js';
import { readKept, writeKept } from '../../files/kept-file.js';
import type { Project } from '../project/open-project.js';
import { surveyMemory } from '../survey/survey-memory.js';

/** The form of the file. */
const FORM = 'seen 1';
/** Pages that are remembered; those that were seen longest ago go first. */
const MAX_PAGES = 5000;

const fileOf = ({ config }: Pick<Project, 'config'>): string => join(surveyMemory(config.folder), 'seen');

export function readSeen(project: Pick<Project, 'config'>): readonly SeenPage[] {
  const bytes = readKept(fileOf(project), FORM);
  if (!bytes) return [];
  try {
    return JSON.parse(bytes.toString()) as readonly SeenPage[];
  } catch {
    return [];
  }
}

export const idOf = ({ page, screen }: Pick<SeenPage, 'page' | 'screen'>): string => `${screen} ${page}`;

export function recallSeen(project: Pick<Project, 'config'>): SeenPages {
  const all = readSeen(project);
  const known = new Map(all.map((seen) => [idOf(seen), seen]));
  return {
    of: (page, screen) => known.get(idOf({ page, screen })),
    all: (page) => all.filter((seen) => seen.page === page),
  };
}

/** @param pages the latest first */
export const writeSeen = (project: Pick<Project, 'config'>, pages: readonly SeenPage[]): void =>
  writeKept(fileOf(project), FORM, [Buffer.from(JSON.stringify(pages.slice(0, MAX_PAGES)))]);
