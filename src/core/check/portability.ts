/** Which addresses would answer otherwise on hosts that are set up in other common ways. */
import type { Answer } from '../hosting/answer.js';
import type { BucketView } from '../hosting/bucket-view.js';
import { QUIRK_SETS, QUIRKS } from '../hosting/quirks.js';
import { resolve } from '../hosting/resolve.js';
import type { Finding } from '../findings/finding.js';
import { ANSWERS_DIFFERENTLY } from './check-findings.js';
import { writtenIn } from './site-address.js';
import type { UsedAddress } from './release-context.js';

/** @param addresses what the site itself refers to */
/** @param place the path of the host below which the bucket is served */
export function comparePortability(
  view: BucketView,
  addresses: readonly UsedAddress[],
  place = '/',
): Finding[] {
  const others = Object.entries(QUIRK_SETS).map(([name, quirks]) => ({
    name,
    view: { ...view, settings: { ...view.settings, quirks } },
  }));
  const findings: Finding[] = [];
  for (const address of addresses) {
    const here = ask(view, address.path);
    // What leads nowhere here has a finding of its own.
    if (here.status >= 400) continue;
    const elsewhere = others
      .map(({ name, view: other }) => ({ name, answer: ask(other, address.path) }))
      .filter(({ answer }) => !answersAlike(here, answer));
    if (elsewhere.length === 0) continue;
    const words = elsewhere.map(({ name, answer }) => `${wordsOf(answer)} under ${name}`).join(', ');
    findings.push({
      rule: ANSWERS_DIFFERENTLY.name,
      level: ANSWERS_DIFFERENTLY.level,
      key: address.from,
      line: address.line,
      message: `"${address.raw}": ${wordsOf(here)} here, ${words}`,
      fix: fixOf(writtenIn(address.from, address.path, { view, place }), here, view),
    });
  }
  return [...findings, ...compareMistakes(view, others)];
}

const ask = (view: BucketView, target: string): Answer =>
  resolve({ method: 'GET', target, headers: {} }, view);

/** Whether a visitor would notice: another status, another body. Redirects to the same place count as one. */
function answersAlike(a: Answer, b: Answer): boolean {
  if (a.status >= 300 && a.status < 400 && b.status >= 300 && b.status < 400) return true;
  return a.status === b.status && keyOf(a) === keyOf(b);
}

const keyOf = ({ body }: Answer): string => (body.kind === 'object' ? body.object.key : '');

const wordsOf = ({ status, reason }: Answer): string =>
  reason === 'folder'
    ? `${status} to the folder`
    : status === 200 && reason === 'error-document'
      ? '200 with the error document'
      : String(status);

function fixOf(path: string, here: Answer, view: BucketView): string {
  const { index } = view.settings.documents;
  if (here.reason === 'folder')
    return `write ${path}/${index}, or ${path}/ where hosts with folders are enough`;
  if (path.endsWith('/')) return `write ${path}${index}`;
  if (here.reason === 'index') return `write ${path}/${index}`;
  return 'see docs/behaviours.md for the quirk that decides';
}

/** Mistakes are no references, so they are spoken of once. */
function compareMistakes(view: BucketView, others: readonly { name: string; view: BucketView }[]): Finding[] {
  const path = '/no-such-page-7f3a';
  const here = ask(view, path);
  const elsewhere = others
    .map(({ name, view: other }) => ({ name, answer: ask(other, path) }))
    .filter(({ answer }) => answer.status !== here.status);
  if (elsewhere.length === 0) return [];
  const words = elsewhere.map(({ name, answer }) => `${wordsOf(answer)} under ${name}`).join(', ');
  return [
    {
      rule: ANSWERS_DIFFERENTLY.name,
      level: ANSWERS_DIFFERENTLY.level,
      message: `any wrong address: ${wordsOf(here)} here, ${words}`,
      fix: `${QUIRKS.missingKey.portable} ${QUIRKS.errorDocumentStatus.portable}`,
    },
  ];
}
