/** Visits of a live endpoint, by the headers that it sends. */
import { FenestraError } from '../../core/errors/catalogue.js';
import type { VisitOutcome } from '../../core/visiting/visit-outcome.js';
import { AS_IT_IS } from '../../core/visiting/time-out.js';
import { publicUrl } from '../../core/words/public-url.js';
import type { Project } from '../project/open-project.js';
import { pathInPlace } from '../project/site-place.js';
import type { Progress } from '../progress.js';
import { readTraceRequest } from '../trace/read-request.js';
import { adviseOn, browseToo, ruleFinder, weighBudgets, type VisitInput } from './conclude.js';
import { visitEndpoint, type EndpointSettings } from './visited-endpoint.js';
import { visitSite } from './visit-site.js';

/**
 * Visits of an endpoint, whoever runs it.
 * @param project whose config knows the rules; undefined where there is none
 * @throws FenestraError ENDPOINT_DEAD, URL_INVALID
 */
export async function visitLive(
  at: URL,
  project: Project | undefined,
  input: VisitInput & EndpointSettings,
  progress: Progress,
): Promise<VisitOutcome> {
  const site = visitEndpoint(at, input);
  try {
    const paths = input.paths.map((path) => {
      const { target, url } = readTraceRequest(path);
      if (!url) return target;
      const inPlace = url.host === at.host ? pathInPlace(target, at.pathname) : undefined;
      if (inPlace !== undefined) return inPlace;
      throw new FenestraError('URL_INVALID', {
        url: path,
        reason: `it does not lie below ${publicUrl(at).href}, which --at names`,
      });
    });
    const now = Date.now();
    const base = publicUrl(at).href;
    const urls = paths.map((path) => base + path.slice(1));
    const visits = await visitSite(site, urls, input, { at: now, since: now, timeOut: AS_IT_IS }, progress);
    return {
      ...visits,
      bucket: undefined,
      endpoint: base,
      paths,
      release: undefined,
      closed: false,
      ...(await browseToo(undefined, urls, visits, input, progress)),
      ruleOf: project ? ruleFinder(project, visits) : () => undefined,
      plainOf: () => undefined,
      ...weighBudgets(project, visits),
      ...adviseOn(visits, undefined),
    };
  } finally {
    await site.close();
  }
}
