/** The store's buckets, or the site folder, hosted from code. */
import { FenestraError } from '../core/errors/catalogue.js';
import { networkReason } from '../core/errors/network-error.js';
import { reasonInWords } from '../core/errors/system-error.js';
import type { Project } from '../jobs/project/open-project.js';
import { placeOfSite } from '../jobs/project/site-place.js';
import type { Progress } from '../jobs/progress.js';
import { describeFix } from '../report/text/fix-text.js';
import { assertOptions, assertText } from './options.js';
import { withOwnErrors } from './own-errors.js';
import type { Served, ServeOptions } from './project.js';

/** How long requests that are being answered may go on once it is closed. Milliseconds. */
const CLOSING_MS = 500;

/** @throws FenestraError PORT_IN_USE, BUCKET_MISSING */
export async function serveOnce(
  project: Project,
  { unpublished = false, port = 0, host = '127.0.0.1' }: ServeOptions,
  progress: Progress,
): Promise<Served> {
  const { serve } = await import('../jobs/serving.js');
  const serving = await serve(project, { host, port, unpublished, annotate: false, describeFix }, progress);
  const address = `http://${project.destination.bucket}.localhost:${serving.port}${placeOfSite(project)}`;
  return {
    address,
    port: serving.port,
    buckets: serving.buckets,
    fetch: (path, init) =>
      withOwnErrors(async () => {
        assertText('The path of fetch()', path);
        assertOptions('fetch', init);
        const { fetchOnce } = await import('../endpoint/index.js');
        const url = new URL(path, address);
        try {
          return await fetchOnce(url, init ?? {});
        } catch (error) {
          throw new FenestraError(
            'ENDPOINT_DEAD',
            { url: url.href, reason: networkReason(error) ?? reasonInWords(error) },
            error,
          );
        }
      }),
    close: () => withOwnErrors(async () => serving.close(CLOSING_MS)),
  };
}
