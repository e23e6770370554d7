/** A move that is played, as one page that needs nothing else. */
import { formatDuration } from '../../core/caching/duration.js';
import type { ServedBy, PlayedMove, PlayedVisitor } from '../../core/dns/rehearse-move.js';
import { formatPlayed } from '../text/rehearsal-text.js';
import { openPage, text, timeOf } from './page.js';

const STYLE = `
.key{display:flex;flex-wrap:wrap;gap:4px 20px;color:var(--soft);font-size:14px;margin:0 0 10px;padding:0;list-style:none}
.key i{display:inline-block;width:26px;height:11px;border-radius:3px;margin-right:6px;vertical-align:-1px}
.old{background:var(--warn)}.new{background:var(--good)}.failure{background:var(--bad)}
.moves{table-layout:fixed}.moves col:nth-child(1){width:7.5em}.moves col:nth-child(3){width:8em}
.moves th,.moves td{padding:2px 8px;border:0;text-align:left;font-weight:400;font-size:14px}.moves thead th{color:var(--soft)}
.moves .lane{position:relative;height:16px}.moves .lane i{position:absolute;top:2px;height:12px}
.moves .lane b{position:absolute;top:-2px;bottom:-2px;width:2px;background:var(--ink)}.moves .lane b.bound{background:none;border-left:2px dotted var(--ink)}
`;

/** One after the other, each with where it begins and ends. */
function* spans(
  { asks, places }: PlayedVisitor,
  end: number,
): Generator<{ place: ServedBy; from: number; to: number }> {
  for (const [at, place] of places.entries()) {
    if (at > 0 && places[at - 1] === place) continue;
    let last = at;
    while (places[last + 1] === place) last++;
    yield { place, from: asks[at] ?? 0, to: asks[last + 1] ?? end };
  }
}

const share = (at: number, { length }: PlayedMove): string => `${((at / length) * 100).toFixed(2)}%`;

/** @param when milliseconds since the epoch */
export function renderRehearsalPage(names: readonly string[], played: PlayedMove, when: number): string {
  const { move, bound, lastMoved, visitors } = played;
  const { parentNs, zoneNs, record } = move.ttls;
  const last = lastMoved === undefined ? 'not within what was played' : formatPlayed(lastMoved, played);
  const lines = `<b style="left:${share(move.at, played)}"></b><b class="bound" style="left:${share(bound, played)}"></b>`;
  const rows = visitors
    .slice()
    .sort((a, b) => (a.movedAt ?? Infinity) - (b.movedAt ?? Infinity))
    .map((visitor, number) => {
      const bars = [...spans(visitor, played.length)]
        .map(
          ({ place, from, to }) =>
            `<i class="${place}" style="left:${share(from, played)};width:${share(to - from, played)}"></i>`,
        )
        .join('');
      const moved = visitor.movedAt === undefined ? 'not yet' : formatPlayed(visitor.movedAt, played);
      return `<tr><th scope="row">visitor ${number + 1}</th><td><div class="lane">${bars}${lines}</div></td><td>${moved}</td></tr>`;
    });
  return `${openPage('A move of host names, played', STYLE)}
<a class="skip" href="#content">To the content</a>
<header>
<p class="maker">fenestra serve --names</p>
<h1 class="verdict plain">The last of ${visitors.length} visitors comes to the new place at ${text(last)}</h1>
<p class="about">${text(names.join(', '))}, after the parent was changed. Computed for everybody whose resolver keeps to the TTLs: ${text(formatPlayed(bound, played))}. Played ${timeOf(when)}.</p>
</header>
<main id="content">
<h2>Who comes where</h2>
<p>NS at the parent ${text(formatDuration(parentNs))}, in the zone ${text(formatDuration(zoneNs))}, the record ${text(formatDuration(record))}. The old zone after the move: ${text(move.oldZone)}.</p>
<ul class="key"><li><i class="old"></i>old place</li><li><i class="new"></i>new place</li>${move.oldZone === 'removed' ? '<li><i class="failure"></i>no answer</li>' : ''}<li>line: the parent is changed</li><li>dotted: computed for everybody</li></ul>
<div class="scroll"><table class="moves"><colgroup><col><col><col></colgroup><thead><tr><th scope="col">visitor</th><th scope="col">from the first look-up on</th><th scope="col">comes over at</th></tr></thead><tbody>
${rows.join('\n')}
</tbody></table></div>
<p>Every second visitor's resolver believes the NS set of the parent, every other that of the zone. Resolvers that serve what has expired may be later than any of them.</p>
</main>
</body>
</html>
`;
}
