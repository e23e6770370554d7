/** Connections that a server holds open at once, unless it is told another number. */
export const MAX_CONNECTIONS = 200;

/** Seconds that a connection without a request is kept for its next one. */
export const KEPT_FOR = 5;
