import { ownKey, releaseRule } from '../rule.js';

export const errorPagePlain = releaseRule(
  {
    name: 'error-page-plain',
    level: 'note',
    explain:
      'The home page has styles and the error document has none: whoever lands there does not recognise the site.',
    example: 'a not-found.html without the style sheet that every other page loads',
    fix: 'Load the styles of the site in it, by an address that begins with a slash.',
  },
  function* ({ view, documents, under, place }) {
    const key = view.settings.documents.error;
    const { error, index } = documents;
    if (key === null || error?.kind !== 'page' || error.empty || error.scripted || error.styled) return;
    if (error.references.some(({ use }) => use === 'style')) return;
    const sheet = index?.references.find(({ use }) => use === 'style');
    if (!sheet && index?.styled !== true) return;
    const address = sheet && rootedAddress(sheet.raw, place + under);
    yield {
      key,
      message: 'the error page has none of the styles of the home page',
      fix:
        address === undefined
          ? `give ${ownKey({ under }, key)} the style element of the home page`
          : `add <link rel="stylesheet" href="${address}"> to ${ownKey({ under }, key)}`,
    };
  },
);

/** As the home page loads it, from any depth. */
const rootedAddress = (raw: string, home: string): string | undefined => {
  if (!URL.canParse(raw, `http://site.invalid${home}`)) return undefined;
  const url = new URL(raw, `http://site.invalid${home}`);
  return url.host === 'site.invalid' ? url.pathname + url.search : url.href;
};
