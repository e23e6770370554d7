/** A site that is asked for each address once. */
import type { SiteAnswer, VisitedSite } from '../../core/visiting/page-load.js';

export interface RememberingSite extends VisitedSite {
  /** What was answered so far. */
  known(url: string): SiteAnswer | undefined;
}

const MAX_HEADS = 1000;

export function rememberAnswers(site: VisitedSite): RememberingSite {
  const asked = new Map<string, Promise<SiteAnswer | undefined>>();
  const answers = new Map<string, SiteAnswer>();
  const heads = new Map<string, Promise<Uint8Array | undefined>>();
  return {
    ask(url) {
      const known = answers.get(url);
      if (known) return Promise.resolve(known);
      let answer = asked.get(url);
      if (!answer) {
        answer = site.ask(url).then((given) => {
          // What is of another host is so for ever; what was answered is known.
          if (!given) return given;
          answers.set(url, given);
          asked.delete(url);
          return given;
        });
        asked.set(url, answer);
      }
      return answer;
    },
    text: (url, answer) => site.text(url, answer),
    head(url, answer) {
      // All pages have the same few icons.
      let head = heads.get(url);
      if (!head) {
        if (heads.size >= MAX_HEADS) heads.clear();
        heads.set(url, (head = site.head(url, answer)));
      }
      return head;
    },
    known: (url) => answers.get(url),
  };
}
