/** The same visits under other circumstances, for the page of a visit. */
import { formatBytes, formatCount } from '../../core/words/counts.js';
import type { VisitOutcome } from '../../core/visiting/visit-outcome.js';
import { visitLabel } from '../text/visit-label.js';
import { describeOther, describeVisited, signed } from '../text/what-if-text.js';
import { text } from './page.js';

const seconds = (value: number): string => value.toFixed(2);

export function whatIfPart(visited: VisitOutcome): string {
  const { other } = visited;
  if (!other) return '';
  const head = ['visit', 'requests', 'bytes', 'seconds'];
  const rows = visited.visits.map((visit, at) => {
    const then = other.site.visits[at]?.totals ?? visit.totals;
    const cell = (about: string, was: number, is: number, shown: (value: number) => string): string => {
      const change = shown(Math.abs(is - was)) === shown(0) ? '' : ` (${signed(is - was, shown)})`;
      return `<td data-about="${about}"${is < was ? ' class="gain"' : ''}>${shown(was)} → ${shown(is)}${change}</td>`;
    };
    const { totals } = visit;
    return `<tr><th scope="row">${text(visitLabel(visit))}</th>${cell('requests', totals.requests, then.requests, formatCount)}${cell('bytes', totals.bytes, then.bytes, formatBytes)}${cell('seconds', totals.seconds, then.seconds, seconds)}</tr>`;
  });
  const lines = other.lines.map((line) => `<li><div class="place">${text(line)}</div></li>`).join('');
  return `<h2 id="what-if">What if: ${text(describeVisited(visited))} beside ${text(describeOther(other))}</h2>
${lines === '' ? '' : `<section class="rule note"><ul>${lines}</ul></section>`}
<div class="scroll" tabindex="0" role="region" aria-labelledby="what-if"><table><thead><tr>${head.map((each) => `<th scope="col">${each}</th>`).join('')}</tr></thead><tbody>${rows.join('')}</tbody></table></div>`;
}
