/** Every command, in one place: loaded together they start sooner than one by one, since what is heavy loads on demand. */
export { default as access } from './access.js';
export { default as bucket } from './bucket.js';
export { default as check } from './check.js';
export { default as config } from './config.js';
export { default as cost } from './cost.js';
export { default as demo } from './demo.js';
export { default as domain } from './domain.js';
export { default as history } from './history.js';
export { default as init } from './init.js';
export { default as publish } from './publish.js';
export { default as restore } from './restore.js';
export { default as serve } from './serve.js';
export { default as store } from './store.js';
export { default as survey } from './survey.js';
export { default as sweep } from './sweep.js';
export { default as trace } from './trace.js';
export { default as visit } from './visit.js';
