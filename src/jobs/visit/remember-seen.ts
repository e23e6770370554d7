/** Remembering what a real browser was seen to ask for. */
import { Discoverer } from '../../core/visiting/discover.js';
import type { VisitedSite } from '../../core/visiting/page-load.js';
import type { Screen } from '../../core/visiting/screen.js';
import { rememberSeen, type SeenPage } from '../../core/visiting/seen-requests.js';
import type { Browsed } from '../../core/visiting/visit-outcome.js';
import type { Project } from '../project/open-project.js';
import { idOf, readSeen, recallSeen, writeSeen } from './seen-file.js';

/** @returns of how many pages something is remembered now that was not known before */
export async function learnSeen(
  project: Pick<Project, 'config'>,
  site: VisitedSite,
  { seen }: Browsed,
  screen: Screen,
): Promise<number> {
  // The loads at hand may have what was seen before.
  const discoverer = new Discoverer(site, screen);
  const learned: SeenPage[] = [];
  for (const [url, requests] of seen) {
    const load = await discoverer.page(url);
    const page = await rememberSeen(load, screen, requests, (each) => site.ask(each));
    if (page) learned.push(page);
  }
  const before = recallSeen(project);
  const isNew = (seen: SeenPage): boolean =>
    JSON.stringify(before.of(seen.page, seen.screen)) !== JSON.stringify(seen);
  const news = learned.filter(isNew).length;
  if (news === 0) return 0;
  const anew = new Set(learned.map(idOf));
  writeSeen(project, [...learned, ...readSeen(project).filter((page) => !anew.has(idOf(page)))]);
  return news;
}
