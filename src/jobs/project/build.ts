declare const FENESTRA_BUILD: string | undefined;

/** Tells one build from another, for what is remembered between runs; undefined when running unbundled. */
export const BUILD = typeof FENESTRA_BUILD === 'string' ? FENESTRA_BUILD : undefined;
