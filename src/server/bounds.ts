/** Connections that a server holds open at once, unless it is told another number. */
export const MOST_CONNECTIONS = 200;
