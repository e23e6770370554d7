import { nearestWord } from '../../words/nearest-word.js';
import { findErrorPage, findIndex } from '../../site/document-names.js';
import { siteRule } from '../rule.js';

export const documentMissing = siteRule(
  {
    name: 'document-missing',
    level: 'error',
    explain:
      'The index document of the root, the error document or the page of an application that the config names is not among the objects.',
    example: 'documents: { error: 404.html } where the file is called not-found.html',
    fix: 'Name the file that exists, or add it.',
  },
  function* ({ keys, settings }) {
    const { index, error } = settings.documents;
    const suggest = (name: string): string | undefined => {
      const doubled = [...keys].find((key) => key.startsWith(`${name}.`));
      return (
        doubled ??
        nearestWord(
          name,
          [...keys].filter((key) => !key.includes('/')),
        )
      );
    };
    if (!keys.has(index)) {
      const near = suggest(index) ?? findIndex([...keys]);
      yield {
        key: index,
        message: `the root has no index document ${index}`,
        fix:
          near === undefined
            ? `add ${index}, or set documents: { index: … }`
            : `rename ${near} to ${index}, or set documents: { index: ${near} }`,
      };
    }
    if (error !== null && !keys.has(error)) {
      const near = suggest(error) ?? findErrorPage(keys);
      yield {
        key: error,
        message: `the error document ${error} is not among the objects`,
        fix:
          near === undefined
            ? `add ${error}, or set documents: { error: … }`
            : `documents: { error: ${near} }`,
      };
    }
    for (const { page } of settings.apps ?? []) {
      if (keys.has(page) || page === index) continue;
      const near = suggest(page) ?? (keys.has(index) ? index : undefined);
      yield {
        key: page,
        message: `the page of the app, ${page}, is not among the objects`,
        fix: near === undefined ? `add ${page}, or set documents: { app: … }` : `documents: { app: ${near} }`,
      };
    }
  },
);
