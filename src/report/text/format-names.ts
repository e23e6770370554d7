/** Objects by their names. */
import type { NameCounts } from '../../core/versioning/naming.js';
import { countOf, formatBytes } from '../../core/words/counts.js';
import { visible } from './paint.js';

/** An object by its names: `assets/site.css → assets/site.4f1c2a9b.css` where it has a versioned one. */
export const formatNames = ({
  key,
  plain,
}: {
  readonly key: string;
  readonly plain?: string | undefined;
}): string => (plain === undefined ? visible(key) : `${visible(plain)} → ${visible(key)}`);

/** What versioned names and the plain ones beside them come to; '' where nothing is versioned. */
export function formatNameCounts(names: NameCounts | undefined): string {
  if (!names || names.versioned === 0) return '';
  const { objects, bytes } = names.plainToo;
  const both =
    objects === 0
      ? 'and no plain one'
      : `and ${objects === names.versioned ? 'their plain ones' : `${objects} of them their plain one`} too: ${countOf(objects, 'more object')} in the bucket, ${formatBytes(bytes)}, the same bytes`;
  return `${countOf(names.versioned, 'object')} ${names.versioned === 1 ? 'has a versioned name' : 'have versioned names'}, ${both}.`;
}
