/** The objects of a site under the names that they are published with. */
import type { Cascade, Decision } from '../../core/assign/cascade.js';
import { parseMediaType } from '../../core/assign/media-type.js';
import { compareKeys } from '../../core/site/key.js';
import type { Facts, ObjectHeaders, SiteObject } from '../../core/site/site-object.js';
import type { FileStamp, Rewrite, SurveyObject } from '../../core/site/survey.js';
import type { NamedRow, NamedTable } from './remember-names.js';

/** The charset in which a text is decoded. */
export const charsetOf = ({ headers }: Pick<SiteObject, 'headers'>): string =>
  parseMediaType(headers['Content-Type'] ?? '')?.parameters.get('charset') ?? 'utf-8';

/** One of possibly very many: what the file's own object knows is asked of it. */
class NamedObject implements SurveyObject {
  readonly key: string;
  readonly size: number;
  readonly digest: string;
  readonly decision: Decision;
  readonly plain?: string;
  readonly rewrite?: Rewrite;
  readonly #file: SurveyObject;

  constructor(
    file: SurveyObject,
    name: string,
    decision: Decision,
    { rewritten }: NamedRow,
    rewrite: Rewrite | undefined,
  ) {
    this.#file = file;
    this.key = name;
    this.size = rewritten?.size ?? file.size;
    this.digest = rewritten?.digest ?? file.digest;
    this.decision = decision;
    if (name !== file.key) this.plain = file.key;
    if (rewrite) this.rewrite = rewrite;
  }

  get headers(): ObjectHeaders {
    return this.decision.headers;
  }
  get path(): string {
    return this.#file.path;
  }
  get stamp(): FileStamp {
    return this.#file.stamp;
  }
  get facts(): Facts {
    return this.#file.facts;
  }
  get public(): boolean {
    return this.#file.public;
  }
}

function decidePlain({ key, headers }: SurveyObject, cascade: Cascade): Decision {
  // Where its bytes told more than its name, they do so again.
  const isTextual = cascade.decide(key).headers['Content-Type'] !== headers['Content-Type'];
  return cascade.decide(key, isTextual, true);
}

/** @param objects under their plain names, in key order @returns in key order */
export function listPublished(
  objects: readonly SurveyObject[],
  { rows, edits }: NamedTable,
  cascade: Cascade,
): SurveyObject[] {
  const published: SurveyObject[] = [];
  let next = 0;
  for (const object of objects) {
    const row = rows[next];
    if (row?.key !== object.key) {
      published.push(object);
      continue;
    }
    next++;
    const { versioned, kept, edits: range } = row;
    const rewrite: Rewrite | undefined = range && {
      digest: object.digest,
      charset: charsetOf(object),
      edits: { [Symbol.iterator]: () => edits.list(...range) },
    };
    if (versioned !== undefined)
      published.push(new NamedObject(object, versioned, object.decision, row, rewrite));
    if (versioned === undefined || kept) {
      // What keeps its plain name is kept as long as under any plain name.
      const decision = kept ? decidePlain(object, cascade) : object.decision;
      published.push(new NamedObject(object, object.key, decision, row, rewrite));
    }
  }
  return published.sort((a, b) => compareKeys(a.key, b.key));
}
