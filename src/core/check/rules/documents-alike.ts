import { releaseRule } from '../rule.js';

export const documentsAlike = releaseRule(
  {
    name: 'documents-alike',
    level: 'warning',
    explain:
      'The error document is the index document or a copy of it: every mistake looks like the home page, and nobody learns that the address was wrong.',
    example: 'documents: { index: index.html, error: index.html }',
    fix: 'Make a page of its own for mistakes.',
  },
  function* ({ view }) {
    const { index, error } = view.settings.documents;
    // A site of one page is set up like that on purpose, with 200 for every address.
    if (error === null || view.settings.quirks.errorDocumentStatus === 200) return;
    const first = view.find(index);
    const second = view.find(error);
    if (!first || !second || first.digest !== second.digest || first.size === 0) return;
    yield {
      key: error,
      message:
        error === index
          ? 'the error document is the index document itself'
          : `the error document is a copy of ${index}`,
      fix: view.settings.apps
        ? 'leave out documents.error: the addresses under appPaths answer with the page of the app'
        : `for a site of pages, make one that says that the address is wrong; for an application of one page, write documents: { app: ${index}, appPaths: ["/**"] } in place of error`,
    };
  },
);
