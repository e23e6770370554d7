/** The names of the tables in the database: what opens them, what checks them and what writes them anew go by these. */
export const TABLE_NAMES = {
  note: 'note',
  labels: 'label',
  buckets: 'bucket',
  current: 'object',
  undo: 'change',
  releases: 'release',
  bodies: 'body',
  unused: 'unused',
  live: 'pack',
  packed: 'packed',
  blocks: 'block',
  damaged: 'damaged',
  publishing: 'publisher',
  doomed: 'due',
} as const;

/** Those of the first format, by what they have become. Their rows have no checksums. */
export const FIRST_FORMAT_NAMES = {
  buckets: 'buckets',
  current: 'current',
  undo: 'undo',
  releases: 'releases',
  bodies: 'bodies',
  publishing: 'publishing',
  doomed: 'doomed',
} as const;

/** The key under which the store's note of itself lies. */
export const NOTE = 'store';
