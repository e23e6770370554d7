/** What a site does that no bucket does, as its answers show, and what to do instead. */
import { isRedirect, type SeenAnswer } from './seen.js';

export interface NotOnBuckets {
  /** What it is, as a phrase. */
  readonly what: string;
  /** Paths. */
  readonly of: readonly string[];
  readonly instead: string;
}

/** Headers that every server has of its own, or that a bucket sends by itself. */
const OWN = new Set([
  ...[
    'accept-ranges',
    'age',
    'alt-svc',
    'connection',
    'content-length',
    'content-location',
    'date',
    'etag',
    'keep-alive',
  ],
  ...[
    'last-modified',
    'server',
    'transfer-encoding',
    'upgrade',
    'via',
    'x-cache',
    'x-cache-hits',
    'x-powered-by',
    'x-served-by',
  ],
  ...[
    'x-timer',
    'server-timing',
    'tcn',
    'location',
    'vary',
    'set-cookie',
    'content-md5',
    'digest',
    'trailer',
  ],
  ...[
    'cache-control',
    'expires',
    'pragma',
    'content-type',
    'content-encoding',
    'content-language',
    'content-disposition',
  ],
  ...[
    'access-control-allow-origin',
    'strict-transport-security',
    'x-request-id',
    'x-varnish',
    'warning',
    'allow',
  ],
]);

/** For some, what a site can do by itself. */
const INSTEAD: Readonly<Record<string, string>> = {
  'content-security-policy': 'write it in the pages: <meta http-equiv="Content-Security-Policy" content="…">',
  'referrer-policy': 'write it in the pages: <meta name="referrer" content="…">',
  link: 'write <link> elements in the pages',
  'x-robots-tag': 'write it in the pages: <meta name="robots" content="…">',
  refresh: 'write it in the pages, or under `moved` in the config',
};
const AT_THE_FRONT = 'let what stands before the bucket add it, or do without';

/** @param isShared whether the config says that everyone may read */
export function listNotOnBuckets(answers: readonly SeenAnswer[], isShared: boolean): NotOnBuckets[] {
  const found = new Map<string, { of: string[]; instead: string }>();
  const add = (what: string, instead: string, path: string): void => {
    const known = found.get(what);
    if (known) known.of.push(path);
    else found.set(what, { of: [path], instead });
  };
  for (const answer of answers) {
    const { path, headers, status } = answer;
    for (const name of Object.keys(headers))
      if (!OWN.has(name) && status < 400)
        add(`the header ${nameOf(name)}`, INSTEAD[name] ?? AT_THE_FRONT, path);
    if (headers['set-cookie'] !== undefined)
      add('cookies', 'a bucket knows no visitor: let a script in the page do what they are for', path);
    for (const name of varied(headers['vary']))
      add(`another answer by ${nameOf(name)}`, OTHERWISE[name] ?? 'publish one answer for all', path);
    if (headers['access-control-allow-origin'] !== undefined && !isShared && status < 400)
      add(
        'leave for the pages of other sites (CORS)',
        '`sharedWith` in the config gives it for the whole bucket',
        path,
      );
    if (headers['strict-transport-security'] !== undefined)
      add(
        'Strict-Transport-Security',
        '`front: { secureOnly: … }` of a destination with a front of its own',
        path,
      );
    if (status === 303 || status === 307 || status === 308)
      add(
        `the status ${status}`,
        `a bucket says ${status === 308 ? 301 : 302}, which is the same for whoever asks for a page`,
        path,
      );
    if (status === 200 && path.endsWith('/') && isListing(answer))
      add('lists of what is in a folder', 'give the folder an index document', path);
    if (status >= 500) add('failures of the server', 'look at the address there', path);
    if (!isRedirect(answer) && status >= 300 && status < 400 && status !== 304)
      add(`the status ${status}`, 'publish an object', path);
  }
  return [...found].map(([what, rest]) => ({ what, ...rest }));
}

const OTHERWISE: Readonly<Record<string, string>> = {
  'accept-language': 'publish each language in a folder of its own, and link them',
  accept: 'publish one form, and let <picture> choose pictures',
  cookie: 'a bucket knows no visitor: publish what everybody may see',
  'user-agent': 'publish what every browser can show',
};

const varied = (vary: string | undefined): string[] =>
  (vary ?? '')
    .split(',', 20)
    .map((name) => name.trim().toLowerCase())
    .filter((name) => /^[\w-]+$/.test(name) && name !== 'accept-encoding' && name !== 'origin');

/** As standards write it. */
const nameOf = (name: string): string => name.replace(/(?:^|-)[a-z]/g, (start) => start.toUpperCase());

/** Servers write no length and no date for what they make up. */
const isListing = ({ headers }: SeenAnswer): boolean =>
  headers['last-modified'] === undefined &&
  headers['etag'] === undefined &&
  /html/.test(headers['content-type'] ?? '');
