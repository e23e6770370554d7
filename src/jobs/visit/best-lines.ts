/** The lines with which returning visitors ask for least, for several bounds, and what each saves on the visited pages. */
import { ASSIGNABLE } from '../../core/assign/properties.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { replaceAssign, type AssignText } from '../../config/replace-assign.js';
import { essence, isText } from '../../core/assign/media-type.js';
import type { ChangeHistory } from '../../core/release/change-history.js';
import { findBestLines, type BestLines, type CachedThing } from '../../core/visiting/best-caching.js';
import type { SiteAnswer } from '../../core/visiting/page-load.js';
import { withCaching, type Visit, type VisitPlan } from '../../core/visiting/run-visits.js';
import type { KnownLoad } from '../../core/visiting/visit.js';
import { readChangeHistory } from '../history/change-history.js';
import { changeConfig } from '../project/change-config.js';
import { openProject, type Project } from '../project/open-project.js';
import { withStoreThere } from '../project/open-store.js';
import { SILENT, type Progress } from '../progress.js';
import { surveyProject } from '../survey/survey-project.js';
import type { VisitInput } from './conclude.js';
import { visitProject } from './visit-project.js';
import { runVisits } from './visit-site.js';

/** What returning visitors ask for, over all returns. */
export interface Asked {
  readonly requests: number;
  readonly bytes: number;
}

export interface BestFor extends BestLines {
  readonly asked: Asked;
  /** By the number of a rule: what would be asked for more without its say. */
  readonly saves: ReadonlyMap<number, Asked>;
}

export interface Best {
  readonly bucket: string;
  readonly release: number | undefined;
  readonly paths: readonly string[];
  /** Releases that were looked back on, and for how many seconds; undefined where nothing is known of any. */
  readonly history: Pick<ChangeHistory, 'releases' | 'span'> | undefined;
  readonly now: Asked;
  readonly byBound: readonly BestFor[];
}

/** When visitors return: seconds after their first visit. */
export const RETURNS = [0, 1800, 43_200, 20 * 86_400];

/** @param bounds seconds @throws FenestraError as visits do */
export async function findBest(
  project: Project,
  input: VisitInput,
  bounds: readonly number[],
  progress: Progress,
): Promise<Best> {
  const outcome = await visitProject(project, { ...input, after: RETURNS, whatIf: undefined }, progress);
  const { objects, history } = input.unpublished
    ? { objects: await listUnpublished(project, progress), history: undefined }
    : await listPublished(project, outcome.at);
  const plan = { ...outcome.plan, reload: false, forced: false, inFull: false };
  const { loads } = outcome;
  return {
    bucket: project.destination.bucket,
    release: outcome.release,
    paths: outcome.paths,
    history,
    now: askedIn(runVisits(loads, plan)),
    byBound: bounds.map((bound) => weigh(findBestLines(objects, history, bound), loads, plan)),
  };
}

const thing = ({
  key,
  plain,
  headers,
}: {
  readonly key: string;
  readonly plain?: string;
  readonly headers: CachedThing['headers'];
}): CachedThing => ({ key, plain, headers, isText: isText(essence(headers['Content-Type'] ?? '')) });

async function listUnpublished(project: Project, progress: Progress): Promise<CachedThing[]> {
  const { objects } = await surveyProject(project, progress);
  return objects.map(({ key, plain, decision: { headers } }) =>
    thing({ key, headers, ...(plain === undefined ? {} : { plain }) }),
  );
}

const listPublished = (
  project: Project,
  at: number,
): Promise<{ objects: CachedThing[]; history: ChangeHistory | undefined }> =>
  withStoreThere(project, async (store) => {
    const { bucket } = project.destination;
    const history = await readChangeHistory(store, bucket, at);
    const snapshot = await store.open(bucket);
    try {
      const objects: CachedThing[] = [];
      for await (const object of snapshot.objects()) if (!object.waits) objects.push(thing(object));
      return { objects, history };
    } finally {
      await snapshot.close();
    }
  });

function weigh(best: BestLines, loads: readonly KnownLoad[], plan: VisitPlan): BestFor {
  const ask = (without?: ReadonlySet<string>): Asked =>
    askedIn(
      runVisits(loads, plan, (answer: SiteAnswer) => {
        const caching =
          answer.key === undefined || without?.has(answer.key) ? undefined : best.caching.get(answer.key);
        return caching && answer.status === 200 ? withCaching(answer, caching) : answer;
      }),
    );
  const asked = ask();
  const saves = new Map<number, Asked>();
  for (const [rule, { keys }] of best.lines) {
    const without = ask(new Set(keys));
    saves.set(rule, { requests: without.requests - asked.requests, bytes: without.bytes - asked.bytes });
  }
  return { ...best, asked, saves };
}

function askedIn(visits: readonly Visit[]): Asked {
  let [requests, bytes] = [0, 0];
  for (const { kind, totals } of visits) {
    if (kind !== 'return') continue;
    requests += totals.requests;
    bytes += totals.bytes;
  }
  return { requests, bytes };
}

/**
 * Puts the lines in place of those that the config has; where an object would not be sent as was shown, or the config
 * could not be read, it stays as it was.
 * @throws FenestraError CONFIG_…, USAGE
 */
export async function writeBest(
  { config, destination }: Project,
  { caching }: Pick<BestLines, 'caching'>,
  text: AssignText,
): Promise<void> {
  const prove = async (): Promise<void> => {
    const project = await openProject({ config: config.file, to: destination.name });
    const { objects } = await surveyProject(project, SILENT);
    const other = objects.find(({ key, decision: { headers } }) => {
      const wanted = caching.get(key);
      return wanted && ASSIGNABLE.cache.headers.some((name) => headers[name] !== wanted[name]);
    });
    if (!other) return;
    throw new FenestraError('USAGE', {
      what: `With these lines ${other.key} would not be sent as was shown: the folder is another than what is published.`,
      fix: 'Publish first, or add --unpublished. The config was left as it was.',
    });
  };
  await changeConfig(config.file, (before) => replaceAssign(before, text), prove);
}
