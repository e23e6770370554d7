/** The jobs that ask name servers: loaded together by the first that needs one. */
export { checkNames } from './domain/check-names.js';
export { listRecords } from './domain/list-records.js';
