/** What the resolver sees of a bucket: one release, whole, and nothing of where it is kept. */
import type { ReadableSetting } from '../access/read-policy.js';
import type { StoredObject } from '../site/site-object.js';
import type { Quirks } from './quirks.js';
import type { SharingSetting } from './sharing.js';

export type Access = 'open' | 'closed';

/** Addresses to targets, as in the config. */
export interface MovedSetting {
  readonly permanently: Readonly<Record<string, string>>;
  readonly temporarily: Readonly<Record<string, string>>;
}

/** Hosts that send their visitors on. */
export interface MovedHosts {
  readonly hosts: readonly string[];
  /** The origin that they are sent to, without a closing slash. */
  readonly to: string;
}

/** An application of one page. */
export interface AppSetting {
  /** The key of its page. */
  readonly page: string;
  /** Addresses that it answers itself, as patterns with a leading slash. */
  readonly paths: readonly string[];
}

/** The settings of a bucket that a release carries. */
export interface BucketSettings {
  readonly documents: { readonly index: string; readonly error: string | null };
  readonly readable: ReadableSetting;
  readonly moved: MovedSetting;
  readonly domains: readonly string[];
  readonly movedHosts?: MovedHosts;
  readonly quirks: Partial<Quirks>;
  /** Whether objects have versioned names, so that the policy asks for the plain ones. */
  readonly versioned?: true;
  /** Folders of the bucket that are sites of their own, each with its closing slash. */
  readonly sites?: readonly string[];
  readonly apps?: readonly AppSetting[];
  /** The other sites whose pages may read it; absent where none may. */
  readonly sharing?: SharingSetting;
}

/** Every host name that a bucket answers to. */
export const hostsOf = ({
  domains,
  movedHosts,
}: Pick<BucketSettings, 'domains' | 'movedHosts'>): readonly string[] =>
  movedHosts ? [...domains, ...movedHosts.hosts] : domains;

export const NEW_BUCKET_SETTINGS: BucketSettings = {
  documents: { index: 'index.html', error: null },
  readable: null,
  moved: { permanently: {}, temporarily: {} },
  domains: [],
  quirks: {},
};

/**
 * Within how many milliseconds a server sees what was committed. A store waits longer than that before it says that
 * something is done, so whoever has heard of it meets it at the next request.
 */
export const SEEN_WITHIN = 5;

export interface BucketView {
  readonly name: string;
  readonly access: Access;
  readonly release: number;
  readonly settings: BucketSettings;
  find(key: string): StoredObject | undefined;
  /**
   * Whether any key begins so. Only where that can be told; without it no folder is known to be there.
   * @param counts leaves keys out; after `MAX_BELOW` of them one is taken to be there
   */
  hasBelow?(prefix: string, counts?: (key: string) => boolean): boolean;
}
