/** The jobs that read pages, styles and scripts: their parsers are heavy, and loaded together by the first that needs one. */
export { inspect } from './check/inspect-release.js';
export { keyOfPath, listLoadedPaths, mayLoad } from './publish/list-loads.js';
export { postponeRemovals } from './publish/postpone-removals.js';
export { listReferences } from './versioning/list-references.js';
export { nameObjects } from './versioning/name-objects.js';
