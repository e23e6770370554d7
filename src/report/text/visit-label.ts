/** What a visit is called. */
import { formatDuration } from '../../core/caching/duration.js';
import type { Visit } from '../../core/visiting/run-visits.js';

export const LABELS = { return: 'again', reload: 'reload', forced: 'forced reload' } as const;

export const visitLabel = ({ kind, after }: Pick<Visit, 'kind' | 'after'>): string =>
  kind === 'first'
    ? 'first visit'
    : `${LABELS[kind]} ${after === 0 ? 'at once' : `after ${formatDuration(after)}`}`;
