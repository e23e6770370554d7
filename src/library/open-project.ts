/** The library's one way in. */
import { closeToPublic, openToPublic, readReaders } from '../jobs/access/read-access.js';
import { DEFAULT_CONCURRENCY } from '../jobs/check/limits.js';
import { readHistory, readReleaseChanges } from '../jobs/history/read-history.js';
import { openProject as openConfigured, type Project as Opened } from '../jobs/project/open-project.js';
import { withStoreThere } from '../jobs/project/open-store.js';
import { readMatching } from '../jobs/project/matching.js';
import { readReleaseNumber } from '../jobs/history/read-release-number.js';
import { SILENT, type Progress } from '../jobs/progress.js';
import { assertSelection, selectObjects } from '../jobs/survey/select-objects.js';
import { readKeptPastChanges } from '../jobs/survey/kept-past-changes.js';
import { surveyProject } from '../jobs/survey/survey-project.js';
import { placeOfSite } from '../jobs/project/site-place.js';
import { readEndpoint } from '../jobs/trace/read-request.js';
import { checkJson, type CheckJson } from '../report/json/check-json.js';
import type { PublishJson } from '../report/json/publish-json.js';
import { historyJson, releaseChangesJson } from '../report/json/history-json.js';
import { surveyJson, type SurveyJson } from '../report/json/survey-json.js';
import { assertNumber, assertOptions, assertText, assertWord } from './options.js';
import { withOwnErrors } from './own-errors.js';
import type {
  CheckOptions,
  OpenOptions,
  Project,
  PublishOptions,
  Served,
  ServeOptions,
  SurveyOptions,
} from './project.js';
import { serveOnce } from './serve-once.js';
import { publishOnce } from './publish-once.js';
import { answerWithoutAsking } from './questions.js';
import { traceOnce } from './trace-once.js';

/** Opens a project by its config. @throws FenestraError CONFIG_…, DESTINATION_UNKNOWN, USAGE */
export async function openProject(options?: OpenOptions): Promise<Project> {
  return withOwnErrors(async () => {
    assertOptions('openProject', options);
    const { config = 'fenestra.yaml', to, progress = SILENT } = options ?? {};
    const opened = await openConfigured({ config, to });
    const { bucket, store } = opened.destination;
    return { bucket, store, address: opened.address, ...callsOf(opened, progress) };
  });
}

/** The calls of a project: what they are given is looked at first, and what they throw is Fenestra's own. */
function callsOf(project: Opened, progress: Progress): Omit<Project, 'bucket' | 'store' | 'address'> {
  const { bucket } = project.destination;
  /** A call with options alone. */
  const call =
    <Options, Result>(name: string, work: (options: Partial<Options>) => Promise<Result>) =>
    (options?: Options): Promise<Result> =>
      withOwnErrors(async () => {
        assertOptions(name, options);
        return work(options ?? {});
      });

  return {
    survey: call<SurveyOptions, SurveyJson>('survey', async ({ matching, type, rule }) => {
      const selection = { matching: readMatching(matching), type, rule };
      assertSelection(selection, project.config.assignments.rules.length);
      const survey = await surveyProject(project, progress);
      const { objects, findings } = selectObjects(survey, selection);
      const tooLong = objects ? undefined : await readKeptPastChanges(project, survey);
      return surveyJson(project.config.site, survey, { objects, findings, tooLong });
    }),

    publish: call<PublishOptions, PublishJson>('publish', (asked) => publishOnce(project, asked, progress)),

    check: call<CheckOptions, CheckJson>('check', async (asked) => {
      const { at, both = false, all = false, everywhere = false, expect = 'open' } = asked;
      const { checkProject } = await import('../jobs/serving.js');
      const outcome = await checkProject(
        project,
        {
          at: at === undefined ? undefined : readEndpoint(String(at), placeOfSite(project)),
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
    }),

    trace: (address, asked) =>
      withOwnErrors(async () => {
        assertText('The address of trace()', address);
        assertOptions('trace', asked);
        return traceOnce(project, address, asked ?? {});
      }),

    serve: call<ServeOptions, Served>('serve', async (asked) => serveOnce(project, asked, progress)),

    history: ((release?: number) =>
      withOwnErrors(async () => {
        const number =
          release === undefined
            ? undefined
            : readReleaseNumber(String(assertNumber('The release of history()', release)));
        return withStoreThere(project, async (opened) =>
          number === undefined
            ? historyJson(await readHistory(opened, bucket))
            : releaseChangesJson(bucket, await readReleaseChanges(opened, bucket, number)),
        );
      })) as Project['history'],

    access: (access: unknown, sure?: string) =>
      withOwnErrors(async () => {
        const word = assertWord('access()', access, ['open', 'close']);
        if (sure !== undefined) assertText('The name that access() is given', sure);
        await withStoreThere(project, async (opened) => {
          if (word === 'open') await openToPublic(opened, bucket, answerWithoutAsking(sure));
          else await closeToPublic(opened, await readReaders(opened, bucket));
        });
      }),
  };
}
