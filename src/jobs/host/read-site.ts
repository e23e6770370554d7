/** The bytes of a site folder's objects, as a server or an inspection asks for them. */
import { join } from 'node:path';
import { FenestraError } from '../../core/errors/catalogue.js';
import type { SurveyObject } from '../../core/site/survey.js';
import type { Project } from '../project/open-project.js';
import type { ReadObject } from './host-release.js';
import { createSiteReader } from './site-reader.js';

export function readSite({ config }: Project, objects: readonly SurveyObject[]): ReadObject {
  const known = new Map(objects.map((object) => [object.key, object]));
  const { pieces } = createSiteReader(({ key }) => {
    const object = known.get(key);
    if (!object) throw new FenestraError('FILE_CHANGING', { path: key });
    return {
      path: join(config.site, object.path),
      encoding: object.decision.encoding,
      rewrite: object.rewrite,
    };
  });
  return async function* (object, part) {
    if (object.size > 0) yield* pieces(object, part ?? { start: 0, end: object.size - 1 });
  };
}
