/** What a store's own settings of a bucket are, where they are others than publishing has left: somebody else has changed them. */

/** What may be found changed, and what that does. */
export const DRIFTS = {
  readers: 'who may read',
  writers: 'who may write',
  index: 'the index document',
  error: 'the error document',
  'document-copy': 'a document under the name that visitors get it by',
  listing: 'whether folders without an index document are listed',
  sharing: 'which other sites may read it',
  quota: 'how much it may hold',
  signed: 'the key of signed addresses, by which others may read and write',
  copying: 'where its contents are copied to',
} as const;
export type DriftKind = keyof typeof DRIFTS;

export interface SettingDrift {
  readonly what: DriftKind;
  /** Whether it is of the records beside the bucket, which nobody else is to read or write. */
  readonly ofRecords: boolean;
  /** As the store writes it; '' where it is not set. */
  readonly now: string;
  readonly must: string;
}
