/** A site that is published from something else than the site folder: a copy on disk, an archive, another destination. */
import { statSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { FenestraError } from '../../core/errors/catalogue.js';
import { countOf } from '../../core/words/counts.js';
import { HEADER_LIST } from '../../disk/own-files.js';
import { makeScratchFolder } from '../../files/scratch-folder.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import type { Project } from '../project/open-project.js';
import { withStoreThere } from '../project/open-store.js';
import type { Progress } from '../progress.js';
import { exportRelease } from './export-bucket.js';
import { importSite } from './import-site.js';
import { readCopy, type Copy } from './read-copy.js';
import { unpackCopy } from './unpack-copy.js';

/** What is done with the project that has the copy as its site. */
type Work<T> = (project: Project, site: SurveyedSite) => Promise<T>;

/**
 * @param from a folder, an archive, or - for an archive on the standard input
 * @throws FenestraError IMPORT_REFUSED, or what the work throws
 */
export async function withCopy<T>(
  project: Project,
  from: string,
  progress: Progress,
  work: Work<T>,
): Promise<T> {
  const path = from === '-' ? from : resolve(from);
  if (path === '-' || statSync(path, { throwIfNoEntry: false })?.isFile() === true) {
    const { copy, remove } = await unpackCopy(path, progress);
    try {
      return await publishCopy(project, copy, progress, work);
    } finally {
      remove();
    }
  }
  return publishCopy(project, await readCopy(path, progress), progress, work);
}

/** @param source what is published lies there, under the names and headers that it has @throws FenestraError USAGE */
export async function withDestination<T>(
  project: Project,
  source: Project,
  progress: Progress,
  work: Work<T>,
): Promise<T> {
  const { store, bucket, name } = source.destination;
  if (store === project.destination.store && bucket === project.destination.bucket)
    throw new FenestraError('USAGE', {
      what: `${name} is where it would be published to.`,
      fix: 'Name another destination with --to.',
    });
  const scratch = makeScratchFolder();
  try {
    const folder = join(scratch.folder, 'copy');
    await withStoreThere(source, async (opened) => {
      const snapshot = await opened.open(bucket);
      try {
        const input = { folder, site: project.config.site, isReadable: () => true, readableAlone: false };
        await exportRelease(snapshot, input, progress);
      } finally {
        await snapshot.close();
      }
    });
    return await publishCopy(project, await readCopy(folder, progress), progress, work);
  } finally {
    scratch.remove();
  }
}

function publishCopy<T>(project: Project, copy: Copy, progress: Progress, work: Work<T>): Promise<T> {
  if (copy.leftOut > 0)
    progress.remark(
      `${countOf(copy.leftOut, 'file')} that ${HEADER_LIST} does not name ${copy.leftOut === 1 ? 'is' : 'are'} left out.`,
    );
  const { project: own, site } = importSite(project, copy);
  return work(own, site);
}
