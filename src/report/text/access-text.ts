/** The two gates of a bucket, for a terminal. */
import { countOf, formatBytes } from '../../core/words/counts.js';
import type { Access, BucketSettings } from '../../core/hosting/bucket-view.js';
import { closedStatus } from '../../core/hosting/quirks.js';
import type { SettingDrift } from '../../core/release/setting-drift.js';
import { formatDriftRemark } from './mend-text.js';
import { columns, visible, type Paint } from './paint.js';

const LISTED = 15;

/** @param once shown before the bucket is opened */
export function formatReaders(
  {
    bucket,
    objects,
    readable,
    barred,
    risky,
    drift,
  }: {
    readonly bucket: {
      readonly name: string;
      readonly access: Access;
      readonly release: number;
      readonly settings: BucketSettings;
    };
    readonly objects: number;
    readonly readable: { readonly count: number; readonly bytes: number };
    readonly barred: readonly { readonly key: string; readonly because: string }[];
    readonly risky: readonly string[];
    readonly drift: readonly SettingDrift[];
  },
  once: boolean,
  paint: Paint,
): string {
  const open = bucket.access === 'open';
  const gates = [
    [
      'gate 1',
      'the bucket',
      open ? paint.good('open') : paint.bad('closed'),
      open ? 'it answers the public' : `it answers ${closedStatus(bucket.settings)} to everyone`,
    ],
    [
      'gate 2',
      'the public-read policy',
      readable.count > 0
        ? paint.good(`covers ${countOf(readable.count, 'object')}`)
        : paint.bad('covers nothing'),
      `${readable.count} of ${objects}, ${formatBytes(readable.bytes)}`,
    ],
  ];
  const anyone = `nyone can read ${countOf(readable.count, 'object')} of ${objects}.`;
  const who = once
    ? `Once open, a${anyone}`
    : open
      ? `A${anyone}`
      : `Nobody can read anything: the bucket is closed. Open it with: ${paint.command(`access open --sure ${bucket.name}`)}`;
  const parts = [
    `${paint.strong(bucket.name)}, release ${bucket.release}`,
    columns(gates, [], paint.width),
    who,
  ];
  if (barred.length > 0) {
    const rows = barred
      .slice(0, LISTED)
      .map(({ key, because }) => [paint.place(visible(key)), paint.soft(visible(because))]);
    const more = barred.length > LISTED ? paint.soft(`\n  and ${barred.length - LISTED} more`) : '';
    parts.push(
      `${paint.strong('Readable by nobody')}: ${countOf(barred.length, 'object')}\n${columns(rows, [], paint.width)}${more}`,
    );
  }
  if (drift.length > 0) parts.push(formatDriftRemark(drift, paint));
  if (risky.length > 0)
    parts.push(
      `${paint.bad('Readable, though it looks secret')}\n${columns(risky.slice(0, LISTED).map((key) => [paint.place(visible(key))]))}`,
    );
  return parts.join('\n\n');
}

export const formatOpened = (bucket: string, address: string, paint: Paint): string =>
  `${paint.good('Open')}: ${bucket} answers the public at ${address}`;

export const formatOpenAlready = (bucket: string, address: string): string =>
  `${bucket} is open already, at ${address}`;

interface Seen {
  readonly after?: number;
  readonly status?: number;
  readonly unreachable?: string;
}

/** When visitors met a change of access; '' where that was not looked for. */
export function formatSeen(seen: Seen | undefined, address: string, paint: Paint): string {
  if (!seen) return '';
  if (seen.after !== undefined) return paint.soft(`Visitors meet it: seen after ${seen.after.toFixed(1)} s.`);
  return seen.unreachable === undefined
    ? `${paint.warn('Not seen yet')}: ${address} still answers ${seen.status ?? 'as before'}. A host may remember what a bucket was for a minute; \`fenestra check\` tells later.`
    : `${paint.warn('Not seen')}: ${address} does not answer (${seen.unreachable}), so whether visitors meet it was not looked at.`;
}

/** @param already it was closed before */
export const formatClosed = (
  { name, settings }: { readonly name: string; readonly settings: BucketSettings },
  already: boolean,
  paint: Paint,
): string =>
  `${paint.warn('Closed')}: ${name} answers ${closedStatus(settings)} to everyone from now on.${already ? ' It was closed already.' : ''}`;
