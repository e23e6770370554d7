/** What to do about each cause of a wrong answer. */
import type { Failure } from '../../core/check/compare-answer.js';
import type { FailureCause } from '../../core/check/difference.js';

const WORDS: Readonly<Record<FailureCause, string>> = {
  'no-answer': 'see what the endpoint says of it in its own log',
  'never-ends':
    'the endpoint goes on longer than it has reason to: see what stands before the bucket, or allow more with --answer-time',
  'not-asked': 'the time for the whole run was over: allow more with --run-time, or ask for fewer',
  'takes-writing': 'the endpoint takes more than reading from anyone: let the public only read',
  'redirect-differs': 'set the redirect at the endpoint as `moved` or the folder needs it',
  'own-type': 'the endpoint sends its own type: publish again, or remove its type rules',
  'own-caching':
    'something before the bucket sets caching of its own: turn that off, or make it pass headers through',
  'own-expires': 'something before the bucket sets caching of its own',
  're-encodes': 'the endpoint re-encodes the body: turn its compression off for what is already compressed',
  'other-bytes': 'publish again; if it stays, something before the bucket rewrites or keeps an old copy',
  'false-length': 'the endpoint says another length than it sends',
  'no-validator': 'let the endpoint pass them on: without a validator every return visit downloads it again',
  'head-differs': 'the endpoint answers HEAD otherwise than GET: see which part of it answers HEAD',
  'validator-ignored':
    'the endpoint sends a validator and does not honour it, so return visits download everything again: let it compare',
  'range-ignored': 'the endpoint does not honour ranges, so media cannot seek: let it pass Range on',
  'wrong-part': 'the endpoint sends the wrong part: see what rewrites bodies before the bucket',
  'condition-differs': 'the endpoint treats this request otherwise than its quirks say: correct `quirks:`',
  'hides-missing-keys':
    'the endpoint hides which keys exist: let it tell the public of missing keys, or set quirks.missingKey to 403',
  'refuses-public': 'the endpoint refuses the public: open the bucket and check its policy',
  'shows-private': 'the endpoint lets anyone read it: narrow its policy to what `readable` says',
  'tells-of-private':
    'the endpoint tells something of what nobody may read: let it refuse every request for it in the same way',
  'wrong-address-200': 'the endpoint sends 200 for a wrong address: set the error document to come with 404',
  'no-folder-index':
    'the endpoint has no index document for folders: name it in its website settings, or link to the documents in full',
  'no-folder-redirect':
    'the endpoint does not redirect to the folder: write links with the closing slash, or set quirks.folderWithoutSlash',
  'moved-unknown': 'the endpoint does not know the moved address: give it the redirect',
  missing: 'the endpoint does not have it: publish again',
  'asks-to-wait': 'the endpoint asks for patience: lower --rate or --concurrency',
  'fails-itself': 'the endpoint itself fails: see its log',
  'not-shared':
    'set at the endpoint with whom it is shared as `sharedWith` says, and let whatever stands before it pass Origin on and keep to Vary',
  'by-others': 'somebody has changed it in the store: what puts it back stands under changed-by-others',
  'settings-differ': "check the endpoint's website settings against `fenestra config show`",
};

/** What differs: `Cache-Control must be no-cache, was absent`. */
export const formatDifference = ({ header, expected, observed }: Failure): string =>
  `${header === undefined ? '' : `${header} `}must be ${expected}, was ${observed}`;

export const describeCause = (cause: FailureCause): string => WORDS[cause];
