/** One trace, as data. */
import type { WebRequest } from '../core/hosting/answer.js';
import type { Project } from '../jobs/project/open-project.js';
import { placeOfSite } from '../jobs/project/site-place.js';
import { withStoreThere } from '../jobs/project/open-store.js';
import { askLive } from '../jobs/trace/ask-live.js';
import { readEndpoint, readTraceRequest } from '../jobs/trace/read-request.js';
import { addressOfRequest, traceAddress } from '../jobs/trace/trace-address.js';
import { traceJson, type TraceJson } from '../report/json/trace-json.js';
import type { TraceOptions } from './project.js';

/** @throws FenestraError URL_INVALID, HOST_UNKNOWN, BUCKET_MISSING, ENDPOINT_DEAD */
export async function traceOnce(
  project: Project,
  address: string,
  { method = 'GET', headers = {}, at, answerTime, ca }: TraceOptions,
): Promise<TraceJson> {
  const { target, url } = readTraceRequest(address);
  const request: WebRequest = {
    method: method.toUpperCase(),
    target,
    headers: Object.fromEntries(Object.entries(headers).map(([name, value]) => [name.toLowerCase(), value])),
  };
  return withStoreThere(project, async (store) => {
    const endpoint = at === undefined ? undefined : readEndpoint(String(at), placeOfSite(project));
    const traced = await traceAddress(project, store, request, { url, at: endpoint });
    const live = endpoint && (await askLive(endpoint, traced.request, traced, { answerTime, ca }));
    return traceJson(addressOfRequest(project, traced.request, { url, at: endpoint }), traced, { live });
  });
}
