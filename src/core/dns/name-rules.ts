/** The rules of names: one file each. */
import { aliasAtApex } from './rules/alias-at-apex.js';
import { aliasLoop } from './rules/alias-loop.js';
import { aliasNowhere } from './rules/alias-nowhere.js';
import { certificateLimited } from './rules/certificate-limited.js';
import { changeUnderWay } from './rules/change-under-way.js';
import { firstLook } from './rules/first-look.js';
import { delegationElsewhere } from './rules/delegation-elsewhere.js';
import { delegationMissing } from './rules/delegation-missing.js';
import { formerServersGone } from './rules/former-servers-gone.js';
import { formerServersOld } from './rules/former-servers-old.js';
import { glueDiffers } from './rules/glue-differs.js';
import { hostAnswersOtherwise } from './rules/host-answers-otherwise.js';
import { lookUpEnded } from './rules/look-up-ended.js';
import { nobodyAnswers } from './rules/nobody-answers.js';
import { parentsDiffer } from './rules/parents-differ.js';
import { recordElsewhere } from './rules/record-elsewhere.js';
import { recordMissing } from './rules/record-missing.js';
import { recordsDiffer } from './rules/records-differ.js';
import { resolverOnly } from './rules/resolver-only.js';
import { serialsDiffer } from './rules/serials-differ.js';
import { serverLame } from './rules/server-lame.js';
import { serverSilent } from './rules/server-silent.js';
import { serversListedDifferently } from './rules/servers-listed-differently.js';
import { signatureLeft } from './rules/signature-left.js';
import { signatureRefused } from './rules/signature-refused.js';
import { signatureUnknown } from './rules/signature-unknown.js';
import { transportsDiffer } from './rules/transports-differ.js';
import { wildcardAnswers } from './rules/wildcard-answers.js';
import { zoneFileRefused } from './rules/zone-file-refused.js';
import type { NameRule } from './naming-context.js';

/** In the order in which they are told: from the top of the tree to the bucket's host. */
export const NAME_RULES: readonly NameRule[] = [
  lookUpEnded,
  resolverOnly,
  nobodyAnswers,
  delegationMissing,
  parentsDiffer,
  delegationElsewhere,
  glueDiffers,
  signatureLeft,
  signatureRefused,
  signatureUnknown,
  zoneFileRefused,
  serverLame,
  serverSilent,
  serversListedDifferently,
  transportsDiffer,
  serialsDiffer,
  recordsDiffer,
  recordMissing,
  aliasAtApex,
  aliasLoop,
  aliasNowhere,
  recordElsewhere,
  wildcardAnswers,
  formerServersGone,
  formerServersOld,
  changeUnderWay,
  firstLook,
  certificateLimited,
  hostAnswersOtherwise,
];
