import { describe, expect, it, test } from 'vitest';
import { createCascade, type AssignRule } from '../assign/cascade.js';
import { createReadPolicy } from '../access/read-policy.js';
import { parseCache } from '../caching/policy.js';
import { NEW_BUCKET_SETTINGS, type BucketSettings } from '../hosting/bucket-view.js';
import { NO_FACTS, type Facts } from '../site/site-object.js';
import { createVersionable } from '../versioning/versionable.js';
import { DEFAULT_FORM } from '../versioning/versioned-name.js';
import { inspectSurvey, SURVEY_RULES } from './survey-rules.js';
import type { SurveyContext } from './rule.js';

interface Case {
  readonly keys?: readonly string[];
  readonly facts?: Partial<Facts>;
  readonly rules?: readonly Partial<AssignRule>[];
  readonly settings?: Partial<BucketSettings>;
  readonly allow?: string;
  readonly links?: SurveyContext['links'];
  readonly own?: SurveyContext['own'];
  readonly idle?: SurveyContext['idle'];
  readonly uncertain?: SurveyContext['uncertain'];
  readonly versioned?: readonly string[];
}

const cache = (value: unknown) => {
  const result = parseCache(value);
  if ('faults' in result) throw new Error(String(value));
  return result.policy;
};
const DOCUMENTS = ['index.html', 'not-found.html'];

/** The findings for the first of the keys, and for the site as a whole. */
function inspect({
  keys = [],
  facts = {},
  rules = [],
  settings = {},
  allow,
  links = [],
  own = [],
  idle = [],
  uncertain = [],
  versioned,
}: Case): string[] {
  const setting = versioned && { patterns: versioned, keepPlain: [], form: DEFAULT_FORM, documents: [] };
  const assignments = {
    file: 'fenestra.yaml',
    rules: rules.map((rule, at) => ({ number: at + 1, line: at + 20, ...rule })),
    ...(setting ? { versioned: setting } : {}),
  };
  const cascade = createCascade(assignments);
  const full: BucketSettings = {
    ...NEW_BUCKET_SETTINGS,
    documents: { index: 'index.html', error: 'not-found.html' },
    ...settings,
  };
  const policy = createReadPolicy(full);
  const all = [...keys, ...(settings.documents ? [] : DOCUMENTS.filter((each) => !keys.includes(each)))];
  const objects = all.map((key) => {
    const decision = cascade.decide(key);
    return {
      key,
      path: key,
      stamp: { size: 10, mtimeMs: 0, ctimeMs: 0, inode: 0 },
      size: 10,
      digest: 'x',
      headers: decision.headers,
      decision,
      facts: key === keys[0] ? { ...NO_FACTS, ...facts } : NO_FACTS,
      public: policy.isReadable(key),
    };
  });
  return inspectSurvey({
    objects,
    keys: new Set(all),
    cascade,
    assignments,
    settings: full,
    buckets: ['test-mill'],
    allowed: (key) => key === allow,
    links,
    own,
    idle,
    uncertain,
    versionable: setting && createVersionable(setting),
    now: Date.UTC(2026, 10, 1),
  }).map(({ rule, key, message, fix }) => {
    expect(fix.length).toBeGreaterThan(5);
    return `${rule}${key === undefined ? '' : ` ${key}`}: ${message} | ${fix}`;
  });
}

const NAMED = { key: 'a/x.png', becomes: 'a/x.4f1c2a9b.png', written: 'x.png', how: 'name' } as const;

const BAD: readonly [string, Case, RegExp][] = [
  [
    'returning-visitors-refused',
    { settings: { quirks: { conditionOutcome: 'missing-with-error-document' } } },
    /404 to everybody who comes back.*without error/,
  ],
  [
    'folder-not-served',
    {
      keys: ['index.html', 'news/index.html', 'visit/index.html'],
      settings: { quirks: { indexDocuments: 'root' } },
    },
    /root alone: nobody gets it at \/news\/, as with 1 more.*folders: pages/,
  ],
  [
    'header-not-sent',
    {
      keys: ['a.css', 'b.css'],
      rules: [{ to: ['*.css'], cache: cache({ fresh: 'revalidate', http10: true }) }],
      settings: { quirks: { pragmaHeader: 'dropped' } },
    },
    /Pragma of this object and of 1 other is never sent.*leave http10 out of rule 1/,
  ],
  [
    'pattern-at-root',
    { keys: ['a.css', 'styles/b.css'], rules: [{ to: ['/*.css'], cache: cache('1 day') }] },
    /"\/\*\.css" of rule 1 covers only what lies at the root: 1 of 2.*write "\*\.css"/,
  ],
  [
    'pattern-at-root',
    { keys: ['a.css', 'styles/b.css'], settings: { readable: { keys: ['/*'], except: [] } } },
    /"\/\*" of readable\.keys.*3 of 4.*write "\*\*"/,
  ],
  [
    'versioned-matches-nothing',
    { keys: ['assets/a.css'], versioned: ['assets'] },
    /"assets" under versioned covers nothing.*versioned: \["assets\/\*\*"\]/,
  ],
  [
    'reference-not-rewritten',
    { uncertain: [{ ...NAMED, from: 'q.js', line: 3 }] },
    /q\.js.*names a\/x\.png as "x\.png".*keeps its plain name beside a\/x\.4f1c2a9b\.png/,
  ],
  [
    'reference-not-rewritten',
    { uncertain: [{ ...NAMED, how: 'moved' }] },
    /as the target of a moved address/,
  ],
  [
    'type-unknown',
    { keys: ['creek.wmap'] },
    /does not know "\.wmap".*to: "\*\.wmap", contentType: text\/plain/,
  ],
  ['type-unknown', { keys: ['noending'] }, /no extension.*to: "\/noending"/],
  [
    'type-contradicts-bytes',
    { keys: ['a.png'], facts: { sniffed: 'image/jpeg' } },
    /sent as image\/png, but its bytes are image\/jpeg/,
  ],
  [
    'charset-contradicts-bytes',
    { keys: ['a.html'], facts: { utf8: false, charset: 'windows-1252' } },
    /not UTF-8.*charset=windows-1252/,
  ],
  [
    'charset-disagrees',
    { keys: ['a.html'], facts: { charset: 'iso-8859-1' } },
    /sent as utf-8, but the file declares iso-8859-1 \| declare utf-8 in it/,
  ],
  [
    'long-kept-name',
    { keys: ['a.css'], rules: [{ to: ['*.css'], cache: cache('1 year') }] },
    /kept for 1 year.*cache: 30 days/,
  ],
  [
    'page-kept-long',
    { keys: ['a.html'], rules: [{ to: ['a.html'], cache: cache('2 days') }] },
    /kept for 2 days.*cache: revalidate/,
  ],
  ['personal-data-shared', { keys: ['members/list.csv'] }, /about people.*except: \["members\/list\.csv"\]/],
  [
    'personal-data-shared',
    { keys: ['list.json'], facts: { emails: true } },
    /e-mail addresses.*allow: \["list\.json"\]/,
  ],
  [
    'never-is-not-private',
    { keys: ['members/a.html'], rules: [{ to: ['members/**'], cache: cache('never') }] },
    /anyone may read it.*except: \["members\/\*\*"\]/,
  ],
  [
    'rule-matches-nothing',
    { keys: ['drafts/a.html'], rules: [{ to: ['drafts'], cache: cache('never') }] },
    /matches no object \| to: "drafts\/\*\*"/,
  ],
  [
    'rule-matches-nothing',
    { keys: ['film/a.webm'], rules: [{ to: ['.webm'], cache: cache('never') }] },
    /matches no object \| to: "\*\.webm"/,
  ],
  [
    'rule-matches-nothing',
    { rules: [{ type: ['video/*'], cache: cache('never') }] },
    /rule 1 \(video\/\*\) matches no object/,
  ],
  [
    'rule-overridden',
    {
      keys: ['a/x.png'],
      rules: [
        { to: ['a/**'], cache: cache('2 days') },
        { to: ['*.png'], cache: cache('1 day') },
      ],
    },
    /rule 2 wins over it everywhere \| move it after rule 2/,
  ],
  [
    'secret-published',
    { keys: ['server.pem'] },
    /looks secret; the public may not read it.*allow: \["server\.pem"\]/,
  ],
  [
    'server-program-published',
    { keys: ['contact.php'] },
    /is a server program \(PHP\).*anyone may read its source/,
  ],
  [
    'server-program-published',
    { keys: ['a.html'], facts: { program: 'PHP' } },
    /holds code of a server program/,
  ],
  ['leftover-published', { keys: ['index.html.bak'] }, /backup/],
  ['leftover-published', { keys: ['site.zip'] }, /archive of the site/],
  ['source-map-published', { keys: ['app.js.map'] }, /source map/],
  ['double-extension', { keys: ['visit.html.txt'] }, /rename it to visit\.html/],
  ['double-extension', { keys: ['style.css.css'] }, /rename it to style\.css/],
  ['keys-differ-in-case', { keys: ['Map.svg', 'map.svg'] }, /differs from Map\.svg/],
  [
    'link-left-out',
    { links: [{ path: 'out', because: 'the link leaves the site, to /x' }] },
    /links: follow/,
  ],
  [
    'server-rules-idle',
    { idle: [{ path: '.htaccess', because: '4 lines of caching' }] },
    /does not read: 4 lines of caching \| .*init --at/,
  ],
  ['server-rules-idle', { keys: ['_redirects'] }, /would publish.*allow: \["_redirects"\]/],
  ['file-idle', { keys: ['500.html'] }, /one error document for all/],
  ['file-idle', { keys: ['package.json'] }, /no visitor has a use/],
  ['file-idle', { keys: ['hours.shtml'] }, /when building/],
  [
    'own-file-left-out',
    { own: [{ path: 'fenestra.yaml', because: 'the config of Fenestra' }] },
    /left out: it is the config of Fenestra/,
  ],
  [
    'expires-past',
    { keys: ['a.png'], rules: [{ to: ['a.png'], cache: cache('until 2026-10-01') }] },
    /has passed.*rule 1, line 20/,
  ],
  [
    'readable-matches-nothing',
    { keys: ['drafts/a'], settings: { readable: { keys: ['**'], except: ['drafts'] } } },
    /protects nothing \| readable: \{ except: \["drafts\/\*\*"\] \}/,
  ],
  [
    'policy-covers-nothing',
    { keys: ['assets/a.css'], settings: { readable: { keys: ['assets'], except: [] } } },
    /answers 403 to everything \| readable: \{ keys: \["assets\/\*\*"\]/,
  ],
  [
    'policy-names-bucket',
    { keys: ['a.css'], settings: { readable: { keys: ['test-mill/**'], except: [] } } },
    /readable: \{ keys: \["\*\*"\]/,
  ],
  [
    'policy-names-bucket',
    { keys: ['drafts/a.csv'], settings: { readable: { keys: ['**'], except: ['/test-mill/drafts/**'] } } },
    /the name of the bucket test-mill.*except: \["drafts\/\*\*"\]/,
  ],
  [
    'document-missing',
    { keys: ['a.html', 'index.htm'], settings: { documents: { index: 'index.html', error: null } } },
    /rename index\.htm to index\.html/,
  ],
  [
    'document-missing',
    {
      keys: ['index.html', '404.html'],
      settings: { documents: { index: 'index.html', error: 'error.html' } },
    },
    /documents: \{ error: 404\.html \}/,
  ],
  [
    'document-private',
    { keys: ['a.css'], settings: { readable: { keys: ['*.css'], except: [] } } },
    /readable\.keys covers "\*\.css"/,
  ],
  [
    'error-document-unset',
    { keys: ['index.html', '404.html'], settings: { documents: { index: 'index.html', error: null } } },
    /documents: \{ error: 404\.html \}/,
  ],
];

describe('what each rule finds', () => {
  test.each(BAD)('%s %#', (rule, given, expected) => {
    const found = inspect(given);
    expect(found.filter((line) => line.startsWith(rule) && expected.test(line))).not.toHaveLength(0);
    // One cause is one finding: no other rule speaks of the same fault.
    expect(
      found.filter(
        (line) =>
          !line.startsWith(rule) && !/^(?:document-|error-document|type-unknown|rule-matches)/.test(line),
      ),
    ).toEqual([]);
  });
  it('every rule is in the table', () => {
    expect([...new Set(BAD.map(([rule]) => rule))].sort()).toEqual(
      SURVEY_RULES.map(({ name }) => name).sort(),
    );
  });
});

describe('what is no fault', () => {
  test.each<[string, Case]>([
    ['a healthy site', { keys: ['a.html', 'styles/a.css', 'app.3f9c2a7b.js', 'photo.jpg'] }],
    ['a style that gets a versioned name', { keys: ['assets/a.css'], versioned: ['assets/**'] }],
    [
      'a year on a hashed name',
      { keys: ['app.3f9c2a7b.js'], rules: [{ to: ['*.js'], cache: cache('1 year') }] },
    ],
    ['an M4A that sniffs as MP4', { keys: ['a.m4a'], facts: { sniffed: 'video/mp4' } }],
    ['a ZIP inside an e-book', { keys: ['a.epub'], facts: { sniffed: 'application/zip' } }],
    ['a secret that is allowed', { keys: ['server.pem'], allow: 'server.pem' }],
    [
      'private personal data',
      { keys: ['members/a.csv'], settings: { readable: { keys: ['**'], except: ['members/**'] } } },
    ],
    ['a page that declares UTF8 as people write it', { keys: ['a.html'], facts: { charset: 'utf8' } }],
    [
      "the authors' addresses in a package's manifest",
      {
        keys: ['demo/package.json'],
        facts: { emails: true },
        rules: [{ to: ['*.json'], cache: cache('1 day') }],
      },
    ],
    ['source text beside its page', { keys: ['a.html.txt', 'a.html'] }],
    ['an archive for download', { keys: ['python-3.11.zip', 'changelog.gz', 'notes.tar.gz'] }],
  ])('%s', (_name, given) => {
    expect(inspect(given)).toEqual([]);
  });
});
