/** A bucket that is served below a path of its host, such as a store's own address. */
import type { Answer, WebRequest } from './answer.js';
import type { BucketView } from './bucket-view.js';
import { quirksOf } from './memoized-settings.js';

/**
 * What the bucket is asked for; undefined where the request is for something else on the host.
 * @param place the path, with its closing slash
 */
export function targetBelow(target: string, place: string): string | undefined {
  const origin = /^https?:\/\/[^/?#]*/i.exec(target)?.[0] ?? '';
  const path = target.slice(origin.length);
  return path.startsWith(place) ? origin + path.slice(place.length - 1) : undefined;
}

/** An answer as it is sent: where it leads within the bucket, it leads below the path. */
export function answerBelow(answer: Answer, { headers }: WebRequest, place: string): Answer {
  const at = answer.headers.indexOf('Location');
  const location = answer.headers[at + 1];
  if (at < 0 || location === undefined) return answer;
  const own = `http://${String(headers['host'])}`;
  const path = location.startsWith(`${own}/`) ? location.slice(own.length) : location;
  if (!path.startsWith('/') || path.startsWith('//')) return answer;
  const whole = (path === location ? '' : own) + place.slice(0, -1) + path;
  return { ...answer, headers: answer.headers.with(at + 1, whole) };
}

/** What the host answers outside of the path: the bucket has no part in it. */
export function answerOutside(target: string, place: string, { name, settings }: BucketView): Answer {
  const quirks = quirksOf(settings);
  if (target.replace(/\?.*/s, '') === place.slice(0, -1) && quirks.folderWithoutSlash !== 'missing')
    return {
      status: quirks.folderRedirectStatus,
      headers: ['Location', place],
      body: { kind: 'none' },
      reason: 'folder',
      because: `bucket ${name} lies below ${place}`,
    };
  return {
    status: 404,
    headers: [],
    body: { kind: 'notice' },
    reason: 'outside',
    because: `bucket ${name} lies below ${place}, and this address outside of it`,
  };
}
