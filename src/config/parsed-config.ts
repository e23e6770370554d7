import type { Document, LineCounter } from 'yaml';

/** A config's text, parsed and validated. */
export interface ParsedConfig {
  readonly raw: Record<string, unknown>;
  readonly document: Document;
  readonly lines: LineCounter;
}
