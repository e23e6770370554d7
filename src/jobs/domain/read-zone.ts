/** A zone file that was given. */
import { readFileSync, statSync } from 'node:fs';
import { FenestraError, systemCode } from '../../core/errors/catalogue.js';
import { parseZone, type Zone } from '../../core/dns/zone-file.js';

export interface GivenZone {
  readonly path: string;
  readonly text: string;
  readonly zone: Zone;
}

const MAX_BYTES = 16 * 2 ** 20;

/** @param apex the zone's name, where the file may not say it @throws FenestraError ZONE_UNREADABLE */
export function readZone(path: string, apex: string | undefined): GivenZone {
  const refuse = (reason: string): FenestraError => new FenestraError('ZONE_UNREADABLE', { path, reason });
  let bytes: Buffer;
  try {
    if (statSync(path).size > MAX_BYTES) throw refuse('it is larger than 16 MB');
    bytes = readFileSync(path);
  } catch (error) {
    if (error instanceof FenestraError) throw error;
    throw refuse(
      systemCode(error) === 'ENOENT' ? 'there is no such file' : String(systemCode(error) ?? error),
    );
  }
  let text: string;
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    throw refuse('it is no text');
  }
  const zone = parseZone(text, apex);
  if (zone.records.length === 0) throw refuse('it holds no record');
  return { path, text, zone };
}
