import { ownKey, releaseRule } from '../rule.js';

export const errorPageDeadEnd = releaseRule(
  {
    name: 'error-page-dead-end',
    level: 'warning',
    explain: 'The error document has no link back into the site, so whoever lands there leaves.',
    example: 'a not-found.html without any link',
    fix: 'Link to the home page, or take over the navigation of the site.',
  },
  function* ({ view, documents, under, place }) {
    const key = view.settings.documents.error;
    const { error } = documents;
    if (key === null || error?.kind !== 'page' || error.empty || error.scripted) return;
    const ways = error.references.filter(
      ({ use, raw }) => use === 'link' && raw !== '' && !/^(?:#|mailto:|tel:|javascript:)/i.test(raw),
    );
    if (ways.length > 0) return;
    yield {
      key,
      message: 'the error page has no link back into the site',
      fix: `add a link such as <a href="${place}${under}">Home</a> to ${ownKey({ under }, key)}`,
    };
  },
);
