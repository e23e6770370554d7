import { elsewhere, releaseRule } from '../rule.js';
import { rootedIn } from '../site-address.js';

/** Relative to the address in the bar, which for a mistake can be any depth. */
export const isRelative = (raw: string): boolean => raw !== '' && !/^(?:[/#?]|[a-z][a-z0-9+.-]*:)/i.test(raw);

export const errorPageRelative = releaseRule(
  {
    name: 'error-page-relative',
    level: 'error',
    explain:
      'The error document refers to something by a relative address. It answers at any depth, so a mistake in a folder shows it without its styles, and its links lead nowhere.',
    example: '<link rel="stylesheet" href="styles/mill.css"> in not-found.html',
    fix: 'Begin the addresses in it with a slash.',
  },
  function* ({ view, documents, place }) {
    const key = view.settings.documents.error;
    const { error } = documents;
    if (key === null || !error || (error.base !== undefined && !isRelative(error.base))) return;
    const relative = error.references.filter(({ raw }) => isRelative(raw));
    const [first] = relative;
    if (!first) return;
    yield {
      key,
      line: first.line,
      message: `the error page refers to "${first.raw}", which depends on the depth of the wrong address`,
      fix: `write ${rootedIn(key, first.raw, { place })}, and so for the others`,
      about: key,
      ...elsewhere(relative.slice(1).map(({ line }) => ({ key, line }))),
    };
  },
);
