/** The library's one way in. */
import { closeToPublic, openToPublic, readReaders } from '../jobs/access/read-access.js';
import { checkProject, DEFAULT_CONCURRENCY } from '../jobs/check/check-project.js';
import { readHistory, readReleaseChanges } from '../jobs/history/read-history.js';
import { openProject as openConfigured } from '../jobs/project/open-project.js';
import { withStoreThere } from '../jobs/project/open-store.js';
import { readMatching } from '../jobs/project/matching.js';
import { SILENT } from '../jobs/progress.js';
import { needSelection, selectObjects } from '../jobs/survey/select-objects.js';
import { surveyProject } from '../jobs/survey/survey-project.js';
import { readEndpoint } from '../jobs/trace/read-request.js';
import { checkJson } from '../report/json/check-json.js';
import { historyJson, releaseChangesJson } from '../report/json/history-json.js';
import { surveyJson } from '../report/json/survey-json.js';
import { describeFix } from '../report/text/fix-text.js';
import type { OpenOptions, Project } from './project.js';
import { publishOnce } from './publish-once.js';
import { answerWithoutAsking } from './questions.js';
import { traceOnce } from './trace-once.js';

/** Opens a project by its config. @throws FenestraError CONFIG_…, DESTINATION_UNKNOWN */
export async function openProject(options: OpenOptions = {}): Promise<Project> {
  const { config = 'fenestra.yaml', to, progress = SILENT } = options;
  const project = await openConfigured({ config, to });
  const { bucket, store } = project.destination;

  return {
    bucket,
    store,
    address: project.address,

    async survey({ matching, type, rule } = {}) {
      const selection = { matching: readMatching(matching), type, rule };
      needSelection(selection, project.config.assignments.rules.length);
      const survey = await surveyProject(project, progress);
      const { objects, findings } = selectObjects(survey, selection);
      return surveyJson(project.config.site, survey, objects, findings);
    },

    publish: async (asked = {}) => publishOnce(project, asked, progress),

    async check(asked = {}) {
      const { at, both = false, all = false, everywhere = false, expect = 'open' } = asked;
      const outcome = await checkProject(
        project,
        {
          at: at === undefined ? undefined : readEndpoint(String(at)),
          both,
          all,
          everywhere,
          expect,
          failOn: asked.failOn ?? 'error',
          baseline: undefined,
          concurrency: asked.concurrency ?? DEFAULT_CONCURRENCY,
          rate: asked.rate,
          answerTime: asked.answerTime,
          runTime: asked.runTime,
          ca: asked.ca,
        },
        progress,
      );
      return checkJson(outcome);
    },

    trace: async (address, asked = {}) => traceOnce(project, address, asked),

    async serve({ unpublished = false, port = 0, host = '127.0.0.1' } = {}) {
      const { serve } = await import('../jobs/host/serve.js');
      const serving = await serve(
        project,
        { host, port, unpublished, annotate: false, describeFix },
        progress,
      );
      const address = `http://${bucket}.localhost:${serving.port}/`;
      return {
        address,
        port: serving.port,
        buckets: serving.buckets,
        async fetch(path, init = {}) {
          const { fetchOnce } = await import('../endpoint/index.js');
          return fetchOnce(new URL(path, address), init);
        },
        close: async () => serving.close(500),
      };
    },

    history: (async (release?: number) =>
      withStoreThere(project, async (opened) =>
        release === undefined
          ? historyJson(await readHistory(opened, bucket))
          : releaseChangesJson(bucket, await readReleaseChanges(opened, bucket, release)),
      )) as Project['history'],

    async access(access: 'open' | 'closed', sure?: string) {
      await withStoreThere(project, async (opened) => {
        if (access === 'open') await openToPublic(opened, bucket, answerWithoutAsking(sure));
        else await closeToPublic(opened, await readReaders(opened, bucket));
      });
    },
  };
}
