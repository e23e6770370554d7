/** The jobs that load pages as a browser does, and what rests on them: loaded together by the first that needs one. */
export { browse, browseLive } from './visit/browse.js';
export { estimateCost } from './cost/estimate-cost.js';
export { listBudgetFindings } from './visit/check-budgets.js';
export { visitLive } from './visit/visit-live.js';
export { visitProject } from './visit/visit-project.js';
export { findBest, RETURNS, writeBest } from './visit/best-lines.js';
