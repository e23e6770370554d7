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
      let answer = asked.get(url);
      if (!answer) {
        answer = site.ask(url).then((given) => {
          if (given) answers.set(url, given);
          return given;
        });
        asked.set(url, answer);
      }
      return answer;
    },
    text: (url, answer) => site.text(url, answer),
    known: (url) => answers.get(url),
  };
}
