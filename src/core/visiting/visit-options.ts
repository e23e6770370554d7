/** When and on what a site is visited, as people write it. */
import { parseDuration } from '../caching/duration.js';
import { FenestraError } from '../errors/catalogue.js';
import type { Screen } from './screen.js';

const MAX_MOMENTS = 50;

/** @throws FenestraError USAGE */
export function parseMoments(text: string): number[] {
  const parts = text.split(',').map((part) => part.trim());
  if (parts.length > MAX_MOMENTS)
    throw new FenestraError('USAGE', {
      what: `--after names ${parts.length} moments.`,
      fix: `Name ${MAX_MOMENTS} at the most.`,
    });
  const moments = parts.map((part) => {
    const parsed = parseDuration(part);
    if ('seconds' in parsed) return parsed.seconds;
    throw new FenestraError('USAGE', {
      what: `--after "${text}": ${parsed.fault}.`,
      fix: `Write durations with commas between, as in --after '0 seconds, ${parsed.becomes ?? '1 day'}'.`,
    });
  });
  return [...new Set(moments)].sort((a, b) => a - b);
}

/** @throws FenestraError USAGE */
export function parseScreen(text: string): Screen {
  const [, width, height, density = '1'] =
    /^(\d{2,5})x(\d{2,5})(?:@(\d(?:\.\d+)?))?$/.exec(text.trim()) ?? [];
  if (width === undefined || !(Number(density) > 0))
    throw new FenestraError('USAGE', {
      what: `--viewport "${text}" is no size.`,
      fix: "Write it as 1280x800, or as 390x844@3 for a phone's screen.",
    });
  return { width: Number(width), height: Number(height), density: Number(density) };
}
