/** Proving a release before it counts: the whole check of it while it is staged, where no visitor sees it. */
import type { BucketView } from '../../core/hosting/bucket-view.js';
import { FenestraError } from '../../core/errors/catalogue.js';
import { countOf } from '../../core/words/counts.js';
import { compareKeys } from '../../core/site/key.js';
import type { Level } from '../../core/findings/finding.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { planRows } from '../../core/release/release.js';
import type { Baseline } from '../../core/check/baseline.js';
import type { SurveyedSite } from '../../disk/survey-site.js';
import { countFindings } from '../../report/text/findings-text.js';
import { formatCheck } from '../../report/text/check-text.js';
import type { Hosted } from '../../server/hosted.js';
import type { EmbeddedStore } from '../../stores/embedded/embedded-store.js';
import type { Terminal } from '../terminal.js';
import { checkRelease } from './check-release.js';
import { hostStore } from './hosted-store.js';
import type { Project } from './project.js';
import type { Changes } from './publish-work.js';
import { checkJson } from './write-reports.js';

export interface ProveOptions {
  readonly 'fail-on': Level;
  readonly baseline: Baseline | undefined;
}

const CONCURRENCY = 16;

/** @throws FenestraError CHECK_FAILED when the staged release does not pass */
export async function proveRelease(
  changes: Changes,
  project: Project,
  survey: SurveyedSite,
  store: EmbeddedStore,
  options: ProveOptions,
  terminal: Terminal,
): Promise<void> {
  const { bucket } = project.destination;
  const objects = stagedObjects(changes, changes.bucket ? store.listObjects(bucket) : [], Date.now());
  const release = (changes.bucket?.release ?? 0) + 1;
  const view = viewOf(bucket, release, changes, objects);
  const outcome = await checkRelease(
    {
      project,
      survey,
      view,
      objects,
      hosted: hostStaged(view, objects, store),
      unpublished: 0,
      asSurveyed: changes.identity !== undefined,
      staged: true,
    },
    {
      expect: 'open',
      all: false,
      concurrency: CONCURRENCY,
      failOn: options['fail-on'],
      baseline: options.baseline,
    },
    terminal,
  );
  terminal.print(`\n${terminal.paint.strong('Proof')} ${formatCheck(outcome, terminal.paint)}`);
  if (outcome.passed) return;
  terminal.printJson({ bucket, release: null, proof: checkJson(outcome) });
  const wrong = outcome.failures.length;
  throw new FenestraError('CHECK_FAILED', {
    bucket,
    release: release - 1,
    what: `${countFindings(outcome.findings)}${wrong > 0 ? ` and ${countOf(wrong, 'wrong answer')}` : ''}`,
  });
}

/** The objects as they will be, in key order. */
function stagedObjects(
  { changes }: Changes,
  current: Iterable<StoredObject>,
  since: number,
): readonly StoredObject[] {
  const staged = new Map<string, StoredObject>();
  for (const object of current) staged.set(object.key, object);
  const { put, remove } = planRows(changes);
  for (const object of put) staged.set(object.key, { ...object, since });
  for (const key of remove) staged.delete(key);
  return [...staged.values()].sort((a, b) => compareKeys(a.key, b.key));
}

function viewOf(
  name: string,
  release: number,
  { becomes }: Changes,
  objects: readonly StoredObject[],
): BucketView {
  const known = new Map(objects.map((object) => [object.key, object]));
  return { name, access: 'open', release, settings: becomes, find: (key) => known.get(key) };
}

/** The staged release alone; its bodies are in the store already. */
function hostStaged(view: BucketView, objects: readonly StoredObject[], store: EmbeddedStore): Hosted {
  const { name, access, release, settings } = view;
  const bytes = objects.reduce((sum, { size }) => sum + size, 0);
  return {
    ...hostStore(store),
    refresh: () => undefined,
    buckets: () => [{ name, access, release, domains: settings.domains, objects: objects.length, bytes }],
    view: (bucket) => (bucket === name ? view : undefined),
  };
}
