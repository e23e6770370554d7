/** The surveyed site under the names that it has in a subfolder of its bucket. */
import * as crypto from 'node:crypto';
import type { Decision } from '../../core/assign/cascade.js';
import type { Facts, ObjectHeaders } from '../../core/site/site-object.js';
import type { FileStamp, SurveyObject } from '../../core/site/survey.js';
import type { SurveyedSite } from '../../disk/survey-site.js';

/** What the file's own object knows is asked of it. */
class ObjectUnder implements SurveyObject {
  readonly key: string;
  readonly #file: SurveyObject;

  constructor(file: SurveyObject, under: string) {
    this.#file = file;
    this.key = under + file.key;
  }

  get size(): number {
    return this.#file.size;
  }
  get digest(): string {
    return this.#file.digest;
  }
  get headers(): ObjectHeaders {
    return this.#file.headers;
  }
  get path(): string {
    return this.#file.path;
  }
  get stamp(): FileStamp {
    return this.#file.stamp;
  }
  get decision(): Decision {
    return this.#file.decision;
  }
  get facts(): Facts {
    return this.#file.facts;
  }
  get public(): boolean {
    return this.#file.public;
  }
}

/** The rules of the config speak of the site's own names. @param under with its closing slash */
export function siteUnder(site: SurveyedSite, under: string): SurveyedSite {
  const { count, identity, findings, groups, cascade, walked, takenAt, read } = site;
  let objects: SurveyObject[] | undefined;
  const own = (key: string): string => (key.startsWith(under) ? key.slice(under.length) : key);
  return {
    get objects() {
      return (objects ??= site.objects.map((object) => new ObjectUnder(object, under)));
    },
    count,
    identity: crypto.hash('sha256', `${under}\0${identity}`, 'hex'),
    findings,
    groups,
    cascade: {
      ...cascade,
      decide: (key, ...more) => cascade.decide(own(key), ...more),
      explain: (key, ...more) => cascade.explain(own(key), ...more),
    },
    walked,
    takenAt,
    read,
  };
}
