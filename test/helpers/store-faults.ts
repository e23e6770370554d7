/** What somebody with the same credentials may do to a published site past Fenestra. */

/** What is done to the store, below the account, and the object or the setting that a finding is to name. */
export type Fault = readonly [
  what: string,
  method: string,
  path: string,
  headers: Readonly<Record<string, string>>,
  named: string,
  body?: string,
];

/** @param bucket it has pages from a.html to p.html, a picture and an error document */
export function faultsOf(bucket: string): readonly Fault[] {
  const records = `${bucket}.ledger`;
  const label = (name: string, header: string, value: string): Fault => [
    `${header} of a page`,
    'POST',
    `/${bucket}/${name}.html`,
    // A change of labels leaves out whatever it does not name.
    { 'content-type': 'text/html; charset=utf-8', 'cache-control': 'no-cache', [header]: value },
    `${name}.html`,
  ];
  const setting = (header: string, value: string, named: string, container = bucket): Fault => [
    `${header} of ${container === bucket ? 'the bucket' : 'the records'}`,
    'POST',
    `/${container}`,
    { [header]: value },
    named,
  ];
  return [
    label('a', 'content-type', 'text/plain'),
    label('b', 'cache-control', 'max-age=31536000'),
    label('c', 'expires', 'Thu, 01 Jan 2037 00:00:00 GMT'),
    label('d', 'content-encoding', 'gzip'),
    label('e', 'content-disposition', 'attachment'),
    label('f', 'content-language', 'fr'),
    label('g', 'x-robots-tag', 'noindex'),
    label('h', 'x-delete-after', '86400'),
    ['labels that are gone', 'POST', `/${bucket}/i.html`, {}, 'i.html'],
    ['other bytes', 'PUT', `/${bucket}/j.html`, { 'content-type': 'text/html' }, 'j.html', 'theirs'],
    ['no bytes', 'PUT', `/${bucket}/k.html`, { 'content-type': 'text/html' }, 'k.html', ''],
    ['a removal', 'DELETE', `/${bucket}/l.html`, {}, 'l.html'],
    ['a link', 'PUT', `/${bucket}/m.html`, { 'x-symlink-target': `${bucket}/n.html` }, 'm.html', ''],
    [
      'a link to the same bytes',
      'PUT',
      `/${bucket}/o.html`,
      { 'x-symlink-target': 'elsewhere/o.html' },
      'o.html',
      '',
    ],
    [
      'another picture',
      'PUT',
      `/${bucket}/pictures/owl.png`,
      { 'content-type': 'image/png' },
      'pictures/owl.png',
      'x',
    ],
    [
      'an error page',
      'PUT',
      `/${bucket}/404not-found.html`,
      { 'content-type': 'text/html' },
      'document-copy',
      'theirs',
    ],
    ['a refusal page', 'DELETE', `/${bucket}/401not-found.html`, {}, 'document-copy'],
    setting('x-container-meta-web-index', 'home.html', 'index'),
    setting('x-container-meta-web-error', 'oops.html', 'error'),
    setting('x-container-meta-web-listings', 'true', 'listing'),
    setting('x-container-read', '.r:*', 'readers'),
    setting('x-container-write', '*:*', 'writers'),
    setting('x-container-meta-quota-bytes', '100000000', 'quota'),
    setting('x-container-meta-access-control-allow-origin', '*', 'sharing'),
    setting('x-container-meta-temp-url-key', 'a-key-of-theirs', 'signed'),
    setting('x-container-read', '.r:*,.rlistings', 'readers', records),
    setting('x-container-write', '*:*', 'writers', records),
    setting('x-container-meta-temp-url-key', 'a-key-of-theirs', 'signed', records),
  ];
}
