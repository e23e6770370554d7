/** The site as a store can hold it: without what it could not keep from the public, with pages for what has moved. */
import * as crypto from 'node:crypto';
import { NEW_BUCKET_SETTINGS, type BucketSettings } from '../../core/hosting/bucket-view.js';
import { listMovedBelow, renderMovedPages } from '../../core/hosting/moved-page.js';
import { createReadPolicy } from '../../core/access/read-policy.js';
import {
  cannotKeepPrivate,
  cannotMove,
  cannotMoveAll,
  type Instead,
} from '../../core/release/store-limits.js';
import { compareKeys } from '../../core/site/key.js';
import { plainKey, type SiteObject } from '../../core/site/site-object.js';
import { identityOf, type SurveyedSite } from '../../disk/survey-site.js';
import type { BodySource, Guarantees } from '../../stores/port.js';

export interface Fitted {
  /** In key order. */
  readonly objects: readonly SiteObject[];
  readonly count: number;
  readonly identity: string;
  /** Where the objects are those of the site: see SurveyedSite. */
  readonly trail?: SurveyedSite['trail'];
  readonly settings: BucketSettings;
  /** Keys that nobody may read, of a store that could not keep them from the public. */
  readonly withheld: readonly string[];
  /** The bodies of pages that stand for moved addresses. */
  readonly pages: readonly BodySource[];
}

type Able = Pick<Guarantees, 'policyByKey' | 'moved'>;

const movedAddresses = ({ moved }: BucketSettings): string[] => [
  ...Object.keys(moved.permanently),
  ...Object.keys(moved.temporarily),
];

/** What a store cannot do and the config does not say what to do about. @throws FenestraError STORE_NEEDS_CHOICE */
export function assertAble(
  store: string,
  able: Able,
  site: Pick<SurveyedSite, 'objects'>,
  settings: BucketSettings,
  instead: Instead,
): void {
  const moved = movedAddresses(settings);
  if (able.moved === false && moved.length > 0) {
    if (instead.movedAs === 'refuse') throw cannotMove(store, moved);
    const below = listMovedBelow(settings);
    if (below.length > 0) throw cannotMoveAll(store, below);
  }
  if (able.policyByKey || instead.private !== 'refuse') return;
  const policy = createReadPolicy(settings);
  const hidden = site.objects.map(plainKey).filter((key) => !policy.isReadable(key));
  if (hidden.length > 0) throw cannotKeepPrivate(store, hidden);
}

/** Asked of a site in which nothing has to be refused; what would have to be is left out. */
export function fitSite(site: SurveyedSite, settings: BucketSettings, able: Able): Fitted {
  const moves = able.moved === false && movedAddresses(settings).length > 0;
  if (able.policyByKey && !moves) return { ...whole(site), settings };
  const policy = createReadPolicy(settings);
  const isKept = (object: SiteObject): boolean => able.policyByKey || policy.isReadable(plainKey(object));
  const pages = moves ? renderMovedPages(settings).map(toBody) : [];
  const replaced = new Set(pages.map(({ object }) => object.key));
  const kept: SiteObject[] = [];
  const withheld: string[] = [];
  for (const object of site.objects)
    if (!isKept(object)) withheld.push(object.key);
    // As in the resolver: what has moved answers before what is there.
    else if (!replaced.has(object.key)) kept.push(object);
  if (pages.length === 0 && withheld.length === 0) return { ...whole(site), settings };
  const objects = [...kept, ...pages.map(({ object }) => object)];
  if (pages.length > 0) objects.sort((a, b) => compareKeys(a.key, b.key));
  const fitted = moves ? { ...settings, moved: { permanently: {}, temporarily: {} } } : settings;
  return { objects, count: objects.length, identity: identityOf(objects), settings: fitted, withheld, pages };
}

/** What nobody may read, for a bucket of its own that is never open. */
export function hiddenPart(site: SurveyedSite, { withheld, settings }: Fitted): Fitted {
  const keys = new Set(withheld);
  const objects = site.objects.filter(({ key }) => keys.has(key));
  return {
    objects,
    count: objects.length,
    identity: identityOf(objects),
    settings: {
      ...NEW_BUCKET_SETTINGS,
      documents: { index: settings.documents.index, error: null },
      quirks: settings.quirks,
    },
    withheld: [],
    pages: [],
  };
}

const whole = (site: SurveyedSite): Omit<Fitted, 'settings'> => ({
  get objects() {
    return site.objects;
  },
  count: site.count,
  identity: site.identity,
  trail: site.trail,
  withheld: [],
  pages: [],
});

function toBody({ key, from, html }: { key: string; from: string; html: string }): BodySource {
  const bytes = Buffer.from(html);
  return {
    object: {
      key,
      size: bytes.length,
      digest: crypto.hash('sha256', bytes, 'hex'),
      headers: { 'Content-Type': 'text/html; charset=utf-8', 'Cache-Control': 'no-cache' },
    },
    path: `the page for ${from}`,
    read: () => ({ bytes, verified: false }),
    pieces: () => [bytes],
  };
}
