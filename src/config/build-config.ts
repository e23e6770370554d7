/** From validated YAML to the frozen config: defaults filled in, values parsed, paths absolute. */
import { basename, resolve } from 'node:path';
import { isMap, isSeq, type LineCounter } from 'yaml';
import type { ReadableSetting } from '../core/access/read-policy.js';
import type { AssignRule } from '../core/assign/cascade.js';
import { ASSIGNABLE, PROPERTIES, type AssignedValues, type Property } from '../core/assign/properties.js';
import type { CachePolicy } from '../core/caching/cache-result.js';
import { parseCache } from '../core/caching/policy.js';
import type { BucketSettings, MovedSetting } from '../core/hosting/bucket-view.js';
import type { Quirks } from '../core/hosting/quirks.js';
import type { Folders, MovedAs, Private } from '../core/release/store-limits.js';
import { parseDuration } from '../core/caching/duration.js';
import {
  BUDGET_FIGURES,
  BUDGET_VISITS,
  type Budget,
  type BudgetFigure,
  type BudgetVisit,
} from '../core/visiting/budget.js';
import type { VersionedSetting } from '../core/versioning/versionable.js';
import { settingsUnder } from '../core/site/site-in-subfolder.js';
import { DEFAULT_FORM } from '../core/versioning/versioned-name.js';
import { deepFreeze } from '../core/release/plain-data.js';
import { sizeOf } from './budget-schema.js';
import { quoteName } from './fields.js';
import { locate } from './locate.js';
import { listInForce } from './in-force.js';
import type { ParsedConfig } from './parsed-config.js';
import type { Config, Destination, Front } from './config.js';

interface RawPlace {
  readonly documents?: {
    readonly index?: string;
    readonly error?: string;
    readonly app?: string;
    readonly appPaths?: string | string[];
  } | null;
  readonly readable?: { readonly keys?: string | string[]; readonly except?: string | string[] } | null;
  readonly moved?: Partial<MovedSetting> | null;
  readonly domains?: string | string[];
  readonly movedHosts?: string | string[];
  readonly nameServers?: string | string[];
  readonly quirks?: Partial<Quirks> | null;
  readonly sharedWith?: {
    readonly origins: string | string[];
    readonly expose?: string | string[];
    readonly keptFor?: string;
  } | null;
  readonly private?: Private;
  readonly movedAs?: MovedAs;
  readonly folders?: Folders;
  /** At the top alone. */
  readonly versioned?: string | string[];
}

/** A destination as it is written. */
interface RawDestination extends RawPlace {
  readonly store: string;
  readonly bucket: string;
  readonly address?: string;
  readonly under?: string;
  readonly bucketHost?: string;
  readonly front?: {
    readonly https?: boolean;
    readonly shared?: boolean;
    readonly secureOnly?: string;
  } | null;
}

export interface RawRule extends Readonly<Partial<Record<Property, unknown>>> {
  readonly to?: string | string[];
  readonly type?: string | string[];
  readonly ifUnset?: boolean;
}

interface RawBudget extends Readonly<
  Partial<Record<BudgetVisit, Readonly<Partial<Record<BudgetFigure, unknown>>> | null>>
> {
  readonly pages: string | string[];
}

interface RawConfig extends RawPlace {
  readonly site: string;
  readonly destinations: Readonly<Record<string, RawDestination>>;
  readonly stores?: Readonly<Record<string, Readonly<Record<string, unknown>> & { kind?: string }>> | null;
  readonly otherwise?: unknown;
  readonly assign?: readonly RawRule[] | null;
  readonly budgets?: readonly RawBudget[] | null;
  readonly links?: Config['links'];
  readonly storeFolder?: string;
  readonly allow?: string | string[];
  readonly historyDepth?: number;
  readonly versionedName?: string;
  readonly keepPlain?: boolean | string | string[];
  readonly keepRemoved?: string | 0;
}

const many = (value: string | readonly string[] | undefined): readonly string[] =>
  value === undefined ? [] : typeof value === 'string' ? [value] : value;

export function buildConfig(parsed: ParsedConfig, file: string, folder: string): Config {
  const raw = parsed.raw as unknown as RawConfig;
  const config: Config = {
    file,
    folder,
    site: resolve(folder, raw.site),
    siteAsWritten: raw.site,
    storeFolder: resolve(folder, raw.storeFolder ?? '.fenestra/store'),
    stores: Object.entries(raw.stores ?? {}).map(([name, { kind, ...options }]) => ({
      name,
      kind,
      place: placeIn(parsed, file, `stores.${quoteName(name)}${kind === undefined ? '' : '.kind'}`),
      options,
    })),
    links: raw.links ?? 'inside',
    assignments: {
      file: basename(file),
      rules: (raw.assign ?? []).map((rule, index) => toRule(rule, index, lineOf(parsed, 'assign', index))),
      ...(raw.otherwise === undefined ? {} : { otherwise: policy(raw.otherwise) }),
      ...(raw.versioned === undefined ? {} : { versioned: toVersioned(raw) }),
    },
    budgets: (raw.budgets ?? []).map((budget, index) => toBudget(budget, lineOf(parsed, 'budgets', index))),
    allow: many(raw.allow),
    historyDepth: raw.historyDepth ?? 20,
    // Where versioned names were given up, pages that somebody holds still name the old ones.
    keepRemoved:
      raw.keepRemoved === undefined && raw.versioned === undefined
        ? 'versioned'
        : toSeconds(raw.keepRemoved ?? 'computed'),
    destinations: Object.entries(raw.destinations).map(([name, place]) => toDestination(name, place, raw)),
    inForce: listInForce(parsed),
  };
  return deepFreeze(config);
}

/** Where a setting stands, as it is written in messages. */
function placeIn({ document, lines }: ParsedConfig, file: string, path: string): string {
  const { line, column } = locate(document, lines, path, false);
  return `${basename(file)}:${line}:${column}`;
}

function toVersioned(raw: RawConfig): VersionedSetting {
  const places = [raw, ...Object.values(raw.destinations)];
  return {
    patterns: many(raw.versioned),
    // What nobody could see may name an object, so its plain name stays unless the owner says otherwise.
    keepPlain:
      raw.keepPlain === false
        ? []
        : raw.keepPlain === true || raw.keepPlain === undefined
          ? ['**']
          : many(raw.keepPlain),
    form: raw.versionedName ?? DEFAULT_FORM,
    documents: [
      ...new Set(
        places.flatMap(({ documents }) => [
          documents?.index ?? 'index.html',
          documents?.error ?? '',
          documents?.app ?? '',
        ]),
      ),
    ],
  };
}

/** How long what is removed stays at most. */
function toSeconds(given: string | 0): Config['keepRemoved'] {
  if (given === 0 || given === 'computed') return given;
  const parsed = parseDuration(given);
  return 'seconds' in parsed ? parsed.seconds : 0;
}

function toDestination(name: string, place: RawDestination, top: RawPlace): Destination {
  const settings = toSettings(top, place);
  // Validation has seen to it that there is one slash at each end at the most.
  const under = place.under?.replace(/^\//, '').replace(/\/$/, '').concat('/');
  return {
    name,
    store: place.store,
    bucket: place.bucket,
    ...(place.address === undefined ? {} : { address: place.address.replace(/\/?$/, '/') }),
    settings: under === undefined ? settings : settingsUnder(settings, under),
    ...(under === undefined ? {} : { under }),
    siteSettings: settings,
    nameServers: many(place.nameServers ?? top.nameServers),
    ...(place.bucketHost === undefined ? {} : { bucketHost: place.bucketHost }),
    ...(place.front ? { front: toFront(place.front) } : {}),
    instead: {
      private: place.private ?? top.private ?? 'refuse',
      movedAs: place.movedAs ?? top.movedAs ?? 'refuse',
      folders: place.folders ?? top.folders ?? 'leave',
    },
  };
}

function toFront({ https = true, shared = false, secureOnly }: NonNullable<RawDestination['front']>): Front {
  const parsed = secureOnly === undefined ? undefined : parseDuration(secureOnly);
  return { https, shared, secureOnly: parsed && 'seconds' in parsed ? parsed.seconds : 0 };
}

/** Where the hosts lead that have moved: to the first domain, by https where that is what the address or the front says. */
function toMovedHosts(top: RawPlace, place: RawDestination): Pick<BucketSettings, 'movedHosts'> {
  const hosts = many(place.movedHosts ?? top.movedHosts);
  const [first] = many(place.domains ?? top.domains);
  if (hosts.length === 0 || first === undefined) return {};
  const isSecure = place.front ? toFront(place.front).https : (place.address?.startsWith('https:') ?? false);
  return { movedHosts: { hosts, to: `${isSecure ? 'https' : 'http'}://${first}` } };
}

function toSettings(top: RawPlace, place: RawDestination): BucketSettings {
  const readable = place.readable ?? top.readable;
  const moved = place.moved ?? top.moved;
  const app = place.documents?.app ?? top.documents?.app;
  return {
    documents: {
      index: place.documents?.index ?? top.documents?.index ?? 'index.html',
      error: place.documents?.error ?? top.documents?.error ?? null,
    },
    readable: toReadable(readable),
    moved: { permanently: moved?.permanently ?? {}, temporarily: moved?.temporarily ?? {} },
    domains: many(place.domains ?? top.domains),
    ...toMovedHosts(top, place),
    quirks: { ...top.quirks, ...place.quirks },
    ...(top.versioned === undefined ? {} : { versioned: true }),
    ...toSharing(place.sharedWith ?? top.sharedWith),
    ...(app === undefined
      ? {}
      : { apps: [{ page: app, paths: many(place.documents?.appPaths ?? top.documents?.appPaths) }] }),
  };
}

function toSharing(given: RawPlace['sharedWith']): Pick<BucketSettings, 'sharing'> {
  if (!given) return {};
  const origins = many(given.origins);
  const parsed = given.keptFor === undefined ? undefined : parseDuration(given.keptFor);
  return {
    sharing: {
      origins: origins.includes('everyone') ? 'everyone' : origins,
      expose: many(given.expose),
      keptFor: parsed && 'seconds' in parsed ? parsed.seconds : null,
    },
  };
}

const toReadable = (given: RawPlace['readable']): ReadableSetting =>
  given ? { keys: given.keys === undefined ? ['**'] : many(given.keys), except: many(given.except) } : null;

export function toRule(raw: RawRule, index: number, line: number): AssignRule {
  return {
    number: index + 1,
    line,
    ...(raw.to === undefined ? {} : { to: many(raw.to) }),
    ...(raw.type === undefined ? {} : { type: many(raw.type) }),
    ...(raw.ifUnset === true ? { ifUnset: true } : {}),
    ...toValues(raw),
  };
}

function toBudget(raw: RawBudget, line: number): Budget {
  const visits = BUDGET_VISITS.flatMap((visit) => {
    const given = raw[visit] ?? {};
    const figures = BUDGET_FIGURES.flatMap((figure) => {
      const value = figure === 'bytes' ? sizeOf(given[figure]) : given[figure];
      return typeof value === 'number' ? [[figure, value] as const] : [];
    });
    return [[visit, Object.fromEntries(figures)] as const];
  });
  return { line, pages: many(raw.pages), ...Object.fromEntries(visits) };
}

/** What a rule gives. Validation has seen to it that each is of its shape. */
const toValues = (raw: RawRule): AssignedValues =>
  Object.fromEntries(
    PROPERTIES.filter((property) => raw[property] !== undefined).map((property) => [
      property,
      ASSIGNABLE[property].shape.is === 'cache' ? policy(raw[property]) : raw[property],
    ]),
  );

/** The line where an entry of a list starts. */
function lineOf(
  { document, lines }: { document: ParsedConfig['document']; lines: LineCounter },
  setting: 'assign' | 'budgets',
  index: number,
): number {
  const list: unknown = isMap(document.contents) ? document.contents.get(setting, true) : undefined;
  const node = isSeq(list)
    ? (list.items[index] as { range?: [number, number, number] } | undefined)
    : undefined;
  return lines.linePos(node?.range?.[0] ?? 0).line;
}

function policy(value: unknown): CachePolicy {
  const result = parseCache(value);
  if ('faults' in result)
    throw new Error(`a cache value passed validation and is none: ${JSON.stringify(value)}`);
  return result.policy;
}
