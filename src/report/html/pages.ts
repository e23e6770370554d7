/** The pages with charts: what draws them is heavy, and loaded by the first that is written. */
export { renderCheckPage } from './check-page.js';
export { renderCostPage } from './cost-page.js';
export { renderVisitPage } from './visit-page.js';
