/** Why a text is replaced whose file may not have changed: it names something anew. */
import type { Change } from '../../core/release/change-list.js';
import { fileName } from '../../core/site/key.js';
import { encodeName } from '../../core/versioning/encode-name.js';
import type { SurveyedSite } from '../../disk/survey-site.js';

/** More changes are shown in groups, where nothing is said of single ones. */
const MAX_CHANGES = 200;

/** By the key of a text that is replaced: the names in it that the same changes bring. */
export function listNewNames(site: SurveyedSite, entries: readonly Change[]): Map<string, readonly string[]> {
  const brought = new Set(
    entries.flatMap(({ key, plainKey, change }) =>
      plainKey !== undefined && change === 'add' ? [encodeName(fileName(key))] : [],
    ),
  );
  const named = new Map<string, readonly string[]>();
  if (brought.size === 0 || entries.length > MAX_CHANGES) return named;
  const replaced = new Set(entries.flatMap(({ key, change }) => (change === 'replace' ? [key] : [])));
  for (const { key, rewrite } of site.objects) {
    if (!rewrite || !replaced.has(key)) continue;
    const names = new Set([...rewrite.edits].map(({ text }) => text).filter((text) => brought.has(text)));
    if (names.size > 0) named.set(key, [...names]);
  }
  return named;
}
