/** Other buckets that pages of the site load from: a browser takes fonts, modules and the like only with their leave (CORS). */
import type { SharingSetting } from '../hosting/sharing.js';
import type { Reference, Use } from '../reading/reading.js';

export interface Neighbour {
  readonly bucket: string;
  /** With their ports. */
  readonly hosts: readonly string[];
  /** The path of them below which it lies, with its closing slash. */
  readonly place: string;
  readonly sharing: SharingSetting | undefined;
}

export interface Refusal {
  readonly because: string;
  readonly fix: string;
}

/** What browsers always ask for with CORS, wherever it lies (Fetch standard, HTML standard and CSS Fonts). */
const ALWAYS: ReadonlySet<Use> = new Set(['font', 'module', 'manifest', 'captions']);

/**
 * Why a browser refuses what a page of the site loads from another bucket; undefined where it takes it.
 * @param origins at which the site's pages are
 */
export function refusalOf(
  { bucket, sharing }: Neighbour,
  { use, cors }: Pick<Reference, 'use' | 'cors'>,
  origins: readonly string[],
): Refusal | undefined {
  if (cors === undefined && !ALWAYS.has(use)) return undefined;
  if (cors === 'credentials')
    return {
      because: `it is asked for with credentials, for which no bucket gives leave`,
      fix: 'write crossorigin without "use-credentials"',
    };
  if (sharing?.origins === 'everyone') return undefined;
  const missing = origins.filter((origin) => sharing?.origins.includes(origin) !== true);
  if (missing.length === 0) return undefined;
  const whom = missing.join(' and ');
  return {
    because: sharing
      ? `bucket ${bucket} is shared with other sites, and not with ${whom}`
      : `bucket ${bucket} is shared with no other site`,
    fix: `add ${whom} to sharedWith where ${bucket} is published from, or publish a copy with this site`,
  };
}
