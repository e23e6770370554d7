/** What a site costs as one page that needs nothing else. */
import type { CardCost, CostOutcome } from '../../core/cost/cost-outcome.js';
import { formatBytes, formatCount } from '../../core/words/counts.js';
import { describeTraffic, PART_WORDS, restsOn, unitsInWords } from '../text/cost-text.js';
import { renderBarPlot } from './bar-plot.js';
import { renderLinePlot } from './line-plot.js';
import { openPage, text, timeOf } from './page.js';

const STYLE = `
.key{display:flex;flex-wrap:wrap;gap:4px 20px;color:var(--soft);font-size:14px;margin:0 0 10px;padding:0;list-style:none}
.key i{display:inline-block;width:26px;height:0;border-top:3px solid;margin-right:6px;vertical-align:4px}
td.num,th.num{text-align:right;font-variant-numeric:tabular-nums}tfoot td{font-weight:650;border-top:2px solid var(--line)}
`;

const COLOURS = ['var(--accent)', 'var(--warn)', 'var(--good)', 'var(--note)', 'var(--bad)'];
const [WIDE, NARROW] = [1100, 540];

/** @param when milliseconds since the epoch */
export function renderCostPage(outcome: CostOutcome, when: number): string {
  const { cards, destination } = outcome;
  const [first] = cards;
  const last = first?.months.at(-1);
  const title =
    first && last
      ? `${last.sum} ${first.card.currency} a month by ${first.card.name}`
      : 'Nothing to reckon with';
  return `${openPage(`What ${destination} costs`, STYLE)}
<a class="skip" href="#content">To the content</a>
<header>
<p class="maker">fenestra cost</p>
<h1 class="verdict plain">${text(title)}</h1>
<p class="about">${text(destination)}, ${text(describeTraffic(outcome))}. Reckoned ${timeOf(when)}.</p>
</header>
<main id="content">
<h2>With more visitors, and with fewer</h2>
${key(cards)}
<div class="scroll">${renderLinePlot(
    cards.map(({ card, curve }, at) => ({
      name: card.name,
      colour: COLOURS[at % COLOURS.length] ?? '',
      dashed: at % 2 === 1,
      points: curve.map(({ times, amount }) => [visitsAt(outcome, times), Number(amount)] as const),
    })),
    WIDE,
    { x: (value) => formatCount(Math.round(value)), y: (value) => String(Number(value.toPrecision(2))) },
  )}</div>
<p>${outcome.traffic.from === 'visitors' ? 'Visits a month' : 'Reads a month'} along the bottom, ${text(first?.card.currency ?? '')} a month upwards; both in powers of ten. A line bends where a tier or what is free ends.</p>
${cards.map((card) => renderCard(card, outcome)).join('\n')}
<h2>What it rests on</h2>
<p>${text(restsOn(outcome))}</p>
</main>
</body>
</html>
`;
}

const visitsAt = ({ traffic, usage }: CostOutcome, times: number): number =>
  times * (traffic.from === 'visitors' ? Math.max(1, traffic.visitors) : Math.max(1, Number(usage.read)));

const key = (cards: readonly CardCost[]): string =>
  `<ul class="key">${cards
    .map(
      ({ card }, at) =>
        `<li><i style="border-color:${COLOURS[at % COLOURS.length] ?? ''};border-top-style:${at % 2 === 1 ? 'dashed' : 'solid'}"></i>${text(card.name)}</li>`,
    )
    .join('')}</ul>`;

function renderCard(cost: CardCost, outcome: CostOutcome): string {
  const { card, months, year, withoutHeaders, withAdvice, rules, top } = cost;
  const last = months.at(-1);
  const money = (amount: string): string => `${amount} ${card.currency}`;
  const parts = [...new Set(months.flatMap(({ parts: own }) => own.map(({ part }) => part)))];
  const rows = parts.map((part) => {
    const units = months[0]?.parts.find((each) => each.part === part)?.units ?? 0n;
    const amounts = months.map(({ parts: own }) => own.find((each) => each.part === part)?.amount ?? '0');
    const shown = unitsInWords(part, units);
    return `<tr><th scope="row">${PART_WORDS[part]}</th><td class="num">${shown}</td>${amounts.map((amount) => `<td class="num">${amount}</td>`).join('')}</tr>`;
  });
  const beside = [
    ...(withoutHeaders
      ? [['the same with no cache headers (browsers guess then)', money(withoutHeaders.sum)]]
      : []),
    ...(withAdvice && outcome.advice !== undefined
      ? [[`with ${outcome.advice}`, money(withAdvice.sum)]]
      : []),
    ...rules.map(({ line, saves }) => [`${line} saves`, money(saves)]),
  ];
  const bars = (last?.parts ?? []).filter(({ amount }) => Number(amount) > 0);
  return `<h2>${text(card.name)}</h2>
<div class="scroll"><table><thead><tr><th scope="col">part</th><th scope="col" class="num"></th>${months.map(({ month }) => `<th scope="col" class="num">month ${month}</th>`).join('')}</tr></thead><tbody>
${rows.join('\n')}
</tbody><tfoot><tr><td>${text(card.currency)}</td><td></td>${months.map(({ sum }) => `<td class="num">${sum}</td>`).join('')}</tr></tfoot></table></div>
<p>The first twelve months come to ${text(money(year))}.</p>
${
  bars.length > 1
    ? `<div class="scroll">${renderBarPlot(
        bars.map(({ part, amount }) => ({
          name: PART_WORDS[part],
          value: Number(amount),
          label: money(amount),
        })),
        NARROW,
      )}</div>`
    : ''
}
${beside.length > 0 ? `<h3>What caching is worth</h3><div class="scroll"><table><tbody>${beside.map(([what = '', amount = '']) => `<tr><th scope="row">${text(what)}</th><td class="num">${text(amount)}</td></tr>`).join('')}</tbody></table></div>` : ''}
${top.length > 0 ? `<h3>What costs most</h3><div class="scroll"><table><thead><tr><th scope="col"></th><th scope="col" class="num">requests</th><th scope="col" class="num">bytes</th><th scope="col" class="num">${text(card.currency)}</th></tr></thead><tbody>${top.map(({ what, requests, bytes, amount }) => `<tr><th scope="row">${text(what)}</th><td class="num">${formatCount(requests)}</td><td class="num">${formatBytes(bytes)}</td><td class="num">${amount}</td></tr>`).join('')}</tbody></table></div>` : ''}`;
}
