/** Files to objects, of which there may be very many. */
import { createReadPolicy, type ReadableSetting } from '../core/access/read-policy.js';
import type { Decision } from '../core/assign/cascade.js';
import type { Facts, ObjectHeaders } from '../core/site/site-object.js';
import type { FileStamp, SurveyObject } from '../core/site/survey.js';
import type { SiteFile } from './file-list.js';
import type { Remembered } from './survey-cache.js';

/** @param most how many objects will be made */
export function objectMaker(
  readable: ReadableSetting,
  most: number,
): (file: SiteFile, known: Remembered) => SurveyObject {
  const policy = createReadPolicy({ readable });
  const stamps = new Stamps(most);
  return (file, known) => new Surveyed(file, known, policy.isReadable(file.key), stamps);
}

/** One of possibly very many: what is the same for others is shared with them, and what are numbers lies in columns. */
class Surveyed implements SurveyObject {
  readonly key: string;
  readonly size: number;
  readonly digest: string;
  readonly path: string;
  readonly decision: Decision;
  readonly facts: Facts;
  readonly public: boolean;
  readonly #stamps: Stamps;
  readonly #row: number;

  constructor(file: SiteFile, known: Remembered, isPublic: boolean, stamps: Stamps) {
    this.key = file.key;
    this.size = known.size;
    this.digest = known.digest;
    this.path = file.path;
    this.decision = known.decision;
    this.facts = known.facts;
    this.public = isPublic;
    this.#stamps = stamps;
    this.#row = stamps.add(file);
  }

  get headers(): ObjectHeaders {
    return this.decision.headers;
  }

  get stamp(): FileStamp {
    return this.#stamps.at(this.#row);
  }
}

const STAMP = 4;

class Stamps {
  readonly #numbers: Float64Array;
  #count = 0;

  constructor(most: number) {
    this.#numbers = new Float64Array(most * STAMP);
  }

  add({ size, mtimeMs, ctimeMs, inode }: FileStamp): number {
    const at = this.#count * STAMP;
    this.#numbers[at] = size;
    this.#numbers[at + 1] = mtimeMs;
    this.#numbers[at + 2] = ctimeMs;
    this.#numbers[at + 3] = inode;
    return this.#count++;
  }

  at(row: number): FileStamp {
    const [size = 0, mtimeMs = 0, ctimeMs = 0, inode = 0] = this.#numbers.subarray(
      row * STAMP,
      (row + 1) * STAMP,
    );
    return { size, mtimeMs, ctimeMs, inode };
  }
}
