/** Asking endpoints over HTTP; loaded by the commands that do. */
export { askEndpoint } from './ask.js';
export { createAgent } from './connect.js';
export { limitsFor } from './limits.js';
export { reasonOf } from './reason-of.js';
export { runProbes } from './run-probes.js';
export { fetchOnce } from './fetch-once.js';
export { readAnswer, type WholeAnswer } from './read-answer.js';
export { askAddress } from './ask-address.js';
export { lookAtFront } from './look-at-front.js';
