/** What a publish removes later: objects that pages of the release that it replaces may still ask for. */
import { AddressReader, OWN, urlOf } from '../../core/check/address-reader.js';
import { decideTarget } from '../../core/check/decide-target.js';
import { readObject } from '../../core/reading/read-object.js';
import { readingKind } from '../../core/reading/reading-kind.js';
import { isLoad } from '../../core/check/release-context.js';
import type { Change } from '../../core/release/change-list.js';
import { keyToPath } from '../../core/site/key.js';
import { KeyIndex } from '../../core/site/near-key.js';
import type { StoredObject } from '../../core/site/site-object.js';
import { decideNeeded, type Needed, type OldObject } from '../../core/versioning/needed-until.js';
import type { Snapshot } from '../../stores/port.js';
import { readText } from '../check/read-text.js';
import { readingId, recallReadings, rememberReadings } from '../check/remember.js';
import { readWhole } from '../host/host-release.js';
import type { Project } from '../project/open-project.js';
import { ownHosts } from '../project/own-hosts.js';
import { NOTHING_POSTPONED, type Postponed } from './postponed.js';
import { withView } from '../trace/found-view.js';

/** @param snapshot of the release that is replaced @param now milliseconds since the epoch */
export async function postponeRemovals(
  project: Pick<Project, 'config'>,
  snapshot: Snapshot,
  entries: readonly Change[],
  now: number,
): Promise<Postponed> {
  const { keepRemoved } = project.config;
  const changed = entries.filter(({ change, waited }) => change !== 'add' && waited !== true);
  if (keepRemoved === 0 || changed.length === 0 || snapshot.state.release === 0) return NOTHING_POSTPONED;
  // Of a bucket that never had versioned names nothing is read.
  const mayName = snapshot.state.settings.versioned || changed.some(isOfVersioned);
  if (keepRemoved === 'versioned' && !mayName) return NOTHING_POSTPONED;
  const latest = typeof keepRemoved === 'string' ? Infinity : now + keepRemoved * 1000;
  const readings = recallReadings(project);
  const texts = new OldTexts(snapshot, ownHosts(project), readings);
  const needed = await decideNeeded(
    changed.map(({ key }) => key),
    (key) => texts.find(key),
    now,
  );
  rememberReadings(project, readings);
  const counts = keepRemoved === 'versioned' ? isOfVersioned : () => true;
  const removed = new Set(
    changed.flatMap((change) => (change.change === 'remove' && counts(change) ? [change.key] : [])),
  );
  const removals = new Map<string, Needed>();
  for (const key of removed) {
    const before = (await snapshot.find(key))?.neededUntil ?? 0;
    const found = needed.get(key);
    const until = Math.min(latest, Math.max(before, found?.until ?? 0));
    if (until > now) removals.set(key, { until, because: found?.because ?? '' });
  }
  const kept = new Map<string, number>();
  for (const [key, { until }] of needed) {
    const bounded = Math.min(latest, until);
    if (removed.has(key) || bounded <= now) continue;
    // It may go with another publish, which replaces no page that named it.
    const object = await snapshot.find(key);
    if (keepRemoved === 'versioned' && object?.plain === undefined) continue;
    if (bounded > (object?.neededUntil ?? 0)) kept.set(key, bounded);
  }
  return { removals, needed: kept };
}

/** Whether a change takes out what has a versioned name. */
const isOfVersioned = ({ change, plainKey }: Change): boolean =>
  change === 'remove' && plainKey !== undefined;

/** The texts of a release, and what they ask for. */
class OldTexts {
  readonly #snapshot: Snapshot;
  readonly #readings: ReturnType<typeof recallReadings>;
  readonly #addresses: AddressReader;
  /** By path. */
  readonly #targets = new Map<string, StoredObject | undefined>();

  constructor(snapshot: Snapshot, hosts: readonly string[], readings: ReturnType<typeof recallReadings>) {
    this.#snapshot = snapshot;
    this.#readings = readings;
    this.#addresses = new AddressReader(hosts);
  }

  async find(key: string): Promise<OldObject | undefined> {
    const object = await this.#snapshot.find(key);
    return object && { object, asksFor: () => this.#asksFor(object) };
  }

  async #asksFor(object: StoredObject): Promise<Set<string>> {
    const keys = new Set<string>();
    const row = await this.#read(object);
    if (row === undefined) return keys;
    const readings = this.#readings;
    const here = `http://${OWN}${keyToPath(object.key)}`;
    const { base } = readings.facts(row);
    const at = this.#addresses.surroundings(base === undefined ? here : (urlOf(base, here)?.href ?? here));
    const [from, to] = readings.range(row);
    for (let reference = from; reference < to; reference++) {
      const number = readings.rawNumber(reference);
      const raw = readings.string(number);
      if (raw === '' || raw.startsWith('#')) continue;
      const { kind, path } = this.#addresses.find(raw, number, at);
      if (kind !== 'own') continue;
      const target = await this.#targetOf(path);
      if (target && (isLoad(readings.use(reference)) || target.plain !== undefined)) keys.add(target.key);
    }
    return keys;
  }

  async #read(object: StoredObject): Promise<number | undefined> {
    const kind = readingKind(object);
    if (kind === undefined || kind === 'feed') return undefined;
    const id = readingId(object, kind);
    const known = this.#readings.find(id);
    if (known !== undefined) return known;
    const bytes = await readWhole((each, range) => this.#snapshot.read(each, range), object);
    const text = readText(object, bytes);
    return text === undefined ? undefined : this.#readings.add(id, readObject(kind, text));
  }

  async #targetOf(path: string): Promise<StoredObject | undefined> {
    if (this.#targets.has(path)) return this.#targets.get(path);
    const { object } = await withView(
      {
        state: { ...this.#snapshot.state, access: 'open' },
        find: (key) => this.#snapshot.find(key),
      },
      (view) => decideTarget(path, view, () => new KeyIndex([])),
    );
    this.#targets.set(path, object);
    return object;
  }
}
