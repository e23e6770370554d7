/** The keys that the site folder would publish, read only when somebody asks. */
import { walkSite } from '../../disk/walk.js';
import type { Project } from '../project/open-project.js';
import { ownFiles } from '../survey/own-files.js';

export function readSiteKeys({ config }: Project): () => ReadonlySet<string> {
  let keys: ReadonlySet<string> | undefined;
  return () => {
    if (keys) return keys;
    try {
      keys = new Set(
        walkSite(config.site, { links: config.links, own: ownFiles(config) }).files.map(({ key }) => key),
      );
    } catch {
      // Without a site folder a bucket can be traced all the same.
      keys = new Set();
    }
    return keys;
  };
}
