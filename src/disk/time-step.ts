/** Coarsest time step of the file systems in use, in milliseconds. */
const TIME_STEP = 2000;

/**
 * Whether something on disk was last touched so long before a walk that a second change cannot hide behind the
 * same time.
 */
export const isOlder = (
  { mtimeMs, ctimeMs }: { readonly mtimeMs: number; readonly ctimeMs: number },
  takenAt: number,
): boolean => ctimeMs < takenAt - TIME_STEP && mtimeMs < takenAt - TIME_STEP;
