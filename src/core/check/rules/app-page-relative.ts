import { elsewhere, releaseRule } from '../rule.js';
import { rootedIn } from '../site-address.js';
import { isRelative } from './error-page-relative.js';

export const appPageRelative = releaseRule(
  {
    name: 'app-page-relative',
    level: 'error',
    explain:
      'The page of an application refers to something by a relative address. It answers at any depth, so below a folder it comes without its scripts and styles, and stays empty.',
    example: '<script type="module" src="./assets/app.js"> with appPaths: ["/orders/**"]',
    fix: 'Begin the addresses in it with a slash; in most builders that is the base path of the build.',
  },
  function* ({ view, documents, place }) {
    for (const app of view.settings.apps ?? []) {
      const reading = documents.apps.get(app.page);
      if (!reading || (reading.base !== undefined && !isRelative(reading.base))) continue;
      const relative = reading.references.filter(({ raw, use }) => use !== 'link' && isRelative(raw));
      const [first] = relative;
      if (!first) continue;
      yield {
        key: app.page,
        line: first.line,
        message: `the page of the app refers to "${first.raw}", which depends on the depth of the address`,
        fix: `write ${rootedIn(app.page, first.raw, { place })}, and so for the others`,
        about: app.page,
        ...elsewhere(relative.slice(1).map(({ line }) => ({ key: app.page, line }))),
      };
    }
  },
);
