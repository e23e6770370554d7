/** All rules of the inspection of a release, in the order in which their findings are shown. */
import type { Finding } from '../findings/finding.js';
import type { ReleaseContext } from './release-context.js';
import type { ReleaseRule } from './rule.js';
import { byLevel } from './survey-rules.js';
import { appAnswersMissing } from './rules/app-answers-missing.js';
import { appPageRelative } from './rules/app-page-relative.js';
import { appUnanswered } from './rules/app-unanswered.js';
import { captionsTypeRefused } from './rules/captions-type-refused.js';
import { dataUnreadable } from './rules/data-unreadable.js';
import { declaredTypeDiffers } from './rules/declared-type-differs.js';
import { documentEmpty } from './rules/document-empty.js';
import { documentsAlike } from './rules/documents-alike.js';
import { errorPageDeadEnd } from './rules/error-page-dead-end.js';
import { errorPagePlain } from './rules/error-page-plain.js';
import { errorPageRelative } from './rules/error-page-relative.js';
import { errorPageUnstyled } from './rules/error-page-unstyled.js';
import { fontPreloadedTwice } from './rules/font-preloaded-twice.js';
import { fontTypeOdd } from './rules/font-type-odd.js';
import { formToBucket } from './rules/form-to-bucket.js';
import { fragmentMissing } from './rules/fragment-missing.js';
import { imageTypeRefused } from './rules/image-type-refused.js';
import { importBare } from './rules/import-bare.js';
import { mediaTypeRefused } from './rules/media-type-refused.js';
import { mediaWithoutRange } from './rules/media-without-range.js';
import { movedChain } from './rules/moved-chain.js';
import { movedLoop } from './rules/moved-loop.js';
import { movedNowhere } from './rules/moved-nowhere.js';
import { movedShadows } from './rules/moved-shadows.js';
import { referenceCase } from './rules/reference-case.js';
import { referenceInsecure } from './rules/reference-insecure.js';
import { referenceMalformed } from './rules/reference-malformed.js';
import { referenceMissing } from './rules/reference-missing.js';
import { referenceOutside } from './rules/reference-outside.js';
import { referenceMoved } from './rules/reference-moved.js';
import { referenceNotShared } from './rules/reference-not-shared.js';
import { referencePrivate } from './rules/reference-private.js';
import { referenceSlash } from './rules/reference-slash.js';
import { referenceToDisk } from './rules/reference-to-disk.js';
import { referenceToEndpoint } from './rules/reference-to-endpoint.js';
import { scriptTypeOdd } from './rules/script-type-odd.js';
import { scriptTypeRefused } from './rules/script-type-refused.js';
import { secureFeatureOverHttp } from './rules/secure-feature-over-http.js';
import { serverCodePublished } from './rules/server-code-published.js';
import { sourceMapMissing } from './rules/source-map-missing.js';
import { styleTypeRefused } from './rules/style-type-refused.js';

export const RELEASE_RULES: readonly ReleaseRule[] = [
  referenceMissing,
  referenceCase,
  referencePrivate,
  referenceNotShared,
  referenceMalformed,
  referenceToDisk,
  formToBucket,
  importBare,
  documentEmpty,
  documentsAlike,
  appUnanswered,
  appPageRelative,
  appAnswersMissing,
  errorPageUnstyled,
  errorPageRelative,
  errorPageDeadEnd,
  errorPagePlain,
  scriptTypeRefused,
  styleTypeRefused,
  mediaTypeRefused,
  captionsTypeRefused,
  imageTypeRefused,
  dataUnreadable,
  movedLoop,
  movedNowhere,
  movedShadows,
  movedChain,
  referenceSlash,
  referenceInsecure,
  referenceToEndpoint,
  fragmentMissing,
  declaredTypeDiffers,
  scriptTypeOdd,
  fontTypeOdd,
  fontPreloadedTwice,
  mediaWithoutRange,
  secureFeatureOverHttp,
  serverCodePublished,
  referenceMoved,
  referenceOutside,
  sourceMapMissing,
];

/** The elements of pages that some rule looks at. */
export const NEEDED_ELEMENTS: ReadonlySet<string> = new Set(RELEASE_RULES.flatMap(({ needs = [] }) => needs));

/** Every finding of the inspection, errors first, in the order of the rules. */
export const inspectRelease = (
  context: ReleaseContext,
  rules: readonly ReleaseRule[] = RELEASE_RULES,
): Finding[] => rules.flatMap((rule) => [...rule.inspect(context)]).sort(byLevel);
