/** What the front answers, whatever the connection is made of. */
import type { Readable } from 'node:stream';

export interface FrontAnswer {
  readonly status: number;
  /** Names in lower case. */
  readonly headers: Record<string, string>;
  readonly body: Buffer | Readable | undefined;
}
