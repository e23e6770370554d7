/** The store of a project's destination. */
import { FenestraError } from '../../core/errors/catalogue.js';
import { nearestWord } from '../../core/words/nearest-word.js';
import { createReadPolicy } from '../../core/access/read-policy.js';
import { plainKey } from '../../core/site/site-object.js';
import { addressUnder } from '../../core/site/site-in-subfolder.js';
import { bucketMissing } from '../../core/release/bucket-name.js';
import type { Config } from '../../config/config.js';
import type { StoreGlance, StorePlace } from '../../stores/kind.js';
import { findKind } from '../../stores/kinds.js';
import { placeOf } from './place-of.js';
import type { BucketState, Store } from '../../stores/port.js';
import { emulatedAddress, type Project } from './open-project.js';
import { ignoreState } from './ignore-state.js';

/** Nothing is opened. @throws FenestraError STORE_KIND for a store of no known kind */
export function assertKnownKinds(config: Config): void {
  for (const { name } of config.stores) findKind(placeOf(config, name));
}

const placeOfProject = ({ config, destination }: Project): StorePlace => placeOf(config, destination.store);

/** Opens the destination's store, making it where there is none. */
export async function openStore(project: Project): Promise<Store> {
  const place = placeOfProject(project);
  const kind = findKind(place);
  ignoreState(project.config.folder);
  return kind.open(place);
}

/** Opens a store of the config by its name. @throws FenestraError STORE_UNKNOWN */
export async function openNamedStore({ config }: Project, name: string): Promise<Store> {
  const known = ['here', ...config.stores.map((store) => store.name)];
  if (!known.includes(name)) {
    const near = nearestWord(name, known);
    throw new FenestraError('STORE_UNKNOWN', {
      name,
      known: known.join(', '),
      near: near === undefined ? '' : ` Did you mean ${near}?`,
    });
  }
  const place = placeOf(config, name);
  ignoreState(config.folder);
  return findKind(place).open(place);
}

/** Opens the store only when there is one, so that looking changes nothing. */
export async function openStoreIfThere(project: Project): Promise<Store | undefined> {
  const place = placeOfProject(project);
  return findKind(place).isThere(place) ? openStore(project) : undefined;
}

/** The same where the store is a folder of this machine, so that looking asks nobody. */
export async function openStoreOfThisMachine(project: Project): Promise<Store | undefined> {
  return findKind(placeOfProject(project)).glance ? openStoreIfThere(project) : undefined;
}

/** What can be known of the destination's store without opening it. */
export function glanceAtStore(project: Project): StoreGlance | undefined {
  const place = placeOfProject(project);
  return findKind(place).glance?.(place);
}

/** The state of the destination's bucket, when it can be known without opening the store. */
export const glanceAtBucket = (project: Project): BucketState | undefined =>
  glanceAtStore(project)?.buckets.find(({ name }) => name === project.destination.bucket);

export interface ListedBucket {
  readonly state: BucketState;
  readonly address: string;
  /** Whether an open bucket has objects, and its policy covers none of them. */
  readonly coversNothing?: true;
}

/** The buckets of the destination's store; none where there is no store. */
export async function listBuckets(project: Project): Promise<readonly ListedBucket[]> {
  const withAddresses = (states: readonly BucketState[], store: Store | undefined): Promise<ListedBucket[]> =>
    Promise.all(
      states.map(async (state) => ({ state, address: await addressIn(project, store, state.name) })),
    );
  const known = glanceAtStore(project);
  if (known && !known.buckets.some(mayCoverNothing)) return withAddresses(known.buckets, undefined);
  const store = await openStoreIfThere(project);
  if (!store) return [];
  return closing(store, async () => {
    const listed = await withAddresses(await store.buckets(), store);
    // Elsewhere that takes a listing of each, and what nobody may read never gets there.
    return store.address
      ? listed
      : Promise.all(
          listed.map(async (each) =>
            mayCoverNothing(each.state) && !(await coversAny(store, each.state))
              ? { ...each, coversNothing: true as const }
              : each,
          ),
        );
  });
}

const mayCoverNothing = ({ access, settings, objects }: BucketState): boolean =>
  access === 'open' && settings.readable !== null && objects !== 0;

/** Whether the public may read anything of a bucket. */
async function coversAny(store: Store, { name, settings }: BucketState): Promise<boolean> {
  const policy = createReadPolicy(settings);
  const snapshot = await store.open(name);
  try {
    for await (const object of snapshot.objects()) if (policy.isReadable(plainKey(object))) return true;
    return false;
  } finally {
    await snapshot.close();
  }
}

/** Opens the store, makes it where there is none, runs some work with it and closes it whatever happens. */
export const withStore = async <T>(project: Project, work: (store: Store) => Promise<T>): Promise<T> =>
  closing(await openStore(project), work);

/** The same with a store that must be there. @throws FenestraError BUCKET_MISSING */
export async function withStoreThere<T>(project: Project, work: (store: Store) => Promise<T>): Promise<T> {
  const store = await openStoreIfThere(project);
  const { store: name, bucket } = project.destination;
  if (!store) throw bucketMissing(name, bucket, []);
  return closing(store, work);
}

async function closing<T>(store: Store, work: (store: Store) => Promise<T>): Promise<T> {
  try {
    return await work(store);
  } finally {
    await store.close();
  }
}

/** A bucket's state. @throws FenestraError BUCKET_MISSING */
export async function assertBucket(store: Store, bucket: string): Promise<BucketState> {
  const state = await store.bucket(bucket);
  if (state) return state;
  throw bucketMissing(
    store.name,
    bucket,
    (await store.buckets()).map(({ name }) => name),
  );
}

/** Where the public reads the destination's bucket: as the config says, as the store does, or the emulation. */
export const addressOf = async (
  { config, destination: { address, bucket, under } }: Project,
  store: Pick<Store, 'address'> | undefined,
): Promise<string> =>
  addressUnder(address ?? (await store?.address?.(bucket)) ?? emulatedAddress(bucket, config), under);

/** Where any bucket of the destination's store is read: the emulation, unless the store is elsewhere. */
export async function addressIn(
  { config, destination }: Project,
  store: Store | undefined,
  bucket: string,
): Promise<string> {
  if (!store?.address) return emulatedAddress(bucket, config);
  const said = config.destinations.find(
    (each) => each.store === destination.store && each.bucket === bucket && each.address !== undefined,
  );
  return said?.address ?? store.address(bucket);
}
