/** What hosting over HTTP takes, in one piece: loaded by those commands alone that serve. */
export { startHostServer } from '../../server/host-server.js';
export { hostUnpublished } from './hosted-site.js';
export { hostStore } from './hosted-store.js';
