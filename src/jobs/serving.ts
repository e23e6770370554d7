/** The jobs that ask a server, and those that serve: loaded together by the first that needs one. */
export { checkAgainst, emulated } from './check/check-against.js';
export { checkProject } from './check/check-project.js';
export { checkRelease } from './check/check-release.js';
export { checkUnpublished } from './check/check-unpublished.js';
export { listMixes } from './publish/list-mixes.js';
export { provePublished, proveRelease } from './publish/prove-release.js';
export { serve } from './host/serve.js';
export { serveFront } from './host/serve-front.js';
