/** The two gates of a bucket, for a terminal. */
import { countOf, formatBytes } from '../../core/words/counts.js';
import type { Access } from '../../core/hosting/bucket-view.js';
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
  }: {
    readonly bucket: { readonly name: string; readonly access: Access; readonly release: number };
    readonly objects: number;
    readonly readable: { readonly count: number; readonly bytes: number };
    readonly barred: readonly { readonly key: string; readonly because: string }[];
    readonly risky: readonly string[];
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
      open ? 'it answers the public' : 'it answers 403 to everyone',
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

/** @param already it was closed before */
export const formatClosed = (bucket: string, already: boolean, paint: Paint): string =>
  `${paint.warn('Closed')}: ${bucket} answers 403 to everyone from now on.${already ? ' It was closed already.' : ''}`;
