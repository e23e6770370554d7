import { releaseRule } from '../rule.js';

export const documentEmpty = releaseRule(
  {
    name: 'document-empty',
    level: 'error',
    explain: 'The index or error document shows nothing at all.',
    example: 'an index.html of 0 bytes, or with an empty body',
    fix: 'Publish the page whole; an empty one is usually a build that failed half-way.',
  },
  function* ({ view, documents }) {
    const { index, error } = view.settings.documents;
    for (const [key, reading] of [
      [index, documents.index],
      [error, documents.error],
    ] as const) {
      const object = key === null ? undefined : view.find(key);
      // A page of one script may fill itself.
      if (!object || !(object.size === 0 || (reading?.empty && !reading.scripted))) continue;
      yield {
        key: object.key,
        message: object.size === 0 ? 'it has no bytes' : 'it shows nothing: no text, no picture, no form',
        fix: 'build the page again and publish it',
      };
    }
  },
);
