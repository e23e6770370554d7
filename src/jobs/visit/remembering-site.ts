/** A site that is asked for each address once. */
import type { SiteAnswer, VisitedSite } from '../../core/visiting/page-load.js';

export interface RememberingSite extends VisitedSite {
  /** What was answered so far. */
  known(url: string): SiteAnswer | undefined;
}

export function rememberAnswers(site: VisitedSite): RememberingSite {
  const asked = new Map<string, Promise<SiteAnswer | undefined>>();
  const answers = new Map<string, SiteAnswer>();
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
    head: (url, answer) => site.head(url, answer),
    known: (url) => answers.get(url),
  };
}
