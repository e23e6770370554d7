/** The config as the rest of Fenestra sees it: defaulted, validated, frozen. */
import type { Assignments } from '../core/assign/cascade.js';
import type { BucketSettings } from '../core/hosting/bucket-view.js';
import type { Budget } from '../core/visiting/budget.js';
import type { Instead } from '../core/release/store-limits.js';

/** What stands before a bucket. */
export interface Front {
  readonly https: boolean;
  readonly shared: boolean;
  /** For how long browsers are told to come by https alone; 0 for not at all. Seconds. */
  readonly secureOnly: number;
}

export interface Destination {
  readonly name: string;
  readonly store: string;
  readonly bucket: string;
  /** The public base URL, where it is not the emulation's. */
  readonly address?: string;
  /** As the bucket has them: of a site in a subfolder, those of its part. */
  readonly settings: BucketSettings;
  /** The folder of the bucket that the site lies in, with its closing slash. */
  readonly under?: string;
  /** The settings as the site itself has them. */
  readonly siteSettings: BucketSettings;
  /** The name servers that are to answer for its domains; none where nobody says. */
  readonly nameServers: readonly string[];
  /** Where the store serves the bucket, where the address does not say it. */
  readonly bucketHost?: string;
  readonly front?: Front;
  /** What is done about what its store cannot. */
  readonly instead: Instead;
}

/** A store that the config names beside `here`. What its options mean is for its kind to say. */
export interface StoreSetting {
  readonly name: string;
  readonly kind: string | undefined;
  /** Where its kind stands, or its name: `fenestra.yaml:3:12`. */
  readonly place: string;
  readonly options: Readonly<Record<string, unknown>>;
}

export interface Config {
  /** Absolute path of the config file. */
  readonly file: string;
  /** Absolute path of the folder that it stands in. */
  readonly folder: string;
  /** Absolute path of the site folder. */
  readonly site: string;
  /** As written, for messages. */
  readonly siteAsWritten: string;
  /** Absolute path of the embedded store. */
  readonly storeFolder: string;
  readonly stores: readonly StoreSetting[];
  readonly links: 'inside' | 'follow' | 'skip';
  readonly assignments: Assignments;
  readonly budgets: readonly Budget[];
  readonly allow: readonly string[];
  /** How many releases a bucket keeps. */
  readonly historyDepth: number;
  /** Seconds for which what is removed stays at most where a page may ask for it; `computed` for as long as one may. */
  readonly keepRemoved: number | 'computed' | 'versioned';
  /** In the order of the config; the first is the one used without --to. */
  readonly destinations: readonly Destination[];
  /** Settings as plain data with their defaults, by dotted name, for `config show`. */
  readonly inForce: readonly SettingInForce[];
}

export interface SettingInForce {
  readonly name: string;
  readonly value: unknown;
  /** `line 12`, or `default`. */
  readonly from: string;
  readonly explain: string;
}

/** One fault in the config. Line and column count from 1. */
export interface ConfigFault {
  readonly line: number;
  readonly column: number;
  readonly path: string;
  readonly message: string;
  /** What was probably meant. */
  readonly becomes?: string;
}
