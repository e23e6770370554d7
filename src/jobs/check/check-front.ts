/** What a front needs of a site, and what the one that an endpoint is reached through does. */
import { formatDay } from '../../core/words/moments.js';
import {
  certificateEnds,
  cookieShared,
  movedInsecurely,
  plainNotMoved,
  secureOnlyUnset,
  sharedCacheMixes,
} from '../../core/check/check-findings.js';
import { isKeptByShared } from '../../core/caching/freshness.js';
import { DEFAULT_QUIRKS } from '../../core/hosting/quirks.js';
import type { Finding } from '../../core/findings/finding.js';
import type { Project } from '../project/open-project.js';

const DAY = 86_400_000;
/** Days before its end at which a certificate is spoken of. */
const SOON = 21;

/** @param at the endpoint, where one is asked @param ca as PEM */
export async function listFrontFindings(
  { destination }: Project,
  at: URL | undefined,
  ca: string | undefined,
): Promise<Finding[]> {
  const { front, settings } = destination;
  const found: Finding[] = [];
  const { sharing, quirks } = settings;
  const saysAlways = (quirks.sharing ?? DEFAULT_QUIRKS.sharing) === 'every-answer';
  if (front?.shared && sharing && sharing.origins !== 'everyone' && !saysAlways)
    found.push(sharedCacheMixes(sharing.origins));
  if (front?.https) {
    for (const [from, to] of [
      ...Object.entries(settings.moved.permanently),
      ...Object.entries(settings.moved.temporarily),
    ])
      if (to.startsWith('http:')) found.push(movedInsecurely(from, to));
  }
  if (at?.protocol !== 'https:') return found;
  const { lookAtFront } = await import('../../endpoint/index.js');
  const { certificateUntil, secure, plain } = await lookAtFront(at, ca);
  const days = certificateUntil === undefined ? SOON : Math.floor((certificateUntil - Date.now()) / DAY);
  if (certificateUntil !== undefined && days >= 0 && days < SOON)
    found.push(certificateEnds(at.hostname, formatDay(certificateUntil), days));
  if (secure) {
    const {
      'strict-transport-security': told,
      'set-cookie': cookie,
      'cache-control': caching,
    } = secure.headers;
    const seconds = Number(/(?:^|;)\s*max-age="?(\d+)/i.exec(told ?? '')?.[1] ?? 0);
    if (front && front.secureOnly > seconds) found.push(secureOnlyUnset(at.href, front.secureOnly, told));
    if (
      cookie !== undefined &&
      caching !== undefined &&
      isKeptByShared(secure.headers) &&
      !/no-cache/i.test(caching)
    )
      found.push(cookieShared(at.href, `Cache-Control: ${caching}`));
  }
  if (front?.https && plain) {
    const seen = 'trouble' in plain ? `nothing (${plain.trouble})` : String(plain.status);
    const isMoved =
      !('trouble' in plain) &&
      [301, 308].includes(plain.status) &&
      (plain.location?.startsWith('https:') ?? false);
    if (!isMoved) found.push(plainNotMoved(`http://${at.hostname}/`, seen));
  }
  return found;
}
