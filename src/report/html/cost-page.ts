/** What a site costs as one page that needs nothing else. */
import type { CardCost, CostOutcome } from '../../core/cost/cost-outcome.js';
import { countOf, formatBytes, formatCount } from '../../core/words/counts.js';
import { describeTraffic, isNothing, PART_WORDS, restsOn, unitsInWords } from '../text/cost-text.js';
import { renderBarPlot } from './bar-plot.js';
import { renderLinePlot } from './line-plot.js';
import { openPage, text, timeOf } from './page.js';

const STYLE = `
td.num,th.num{text-align:right;font-variant-numeric:tabular-nums}tfoot td,tfoot th{font-weight:650;border-top:2px solid var(--line)}
tfoot th{text-align:left}h3{margin:26px 0 8px}
`;

const COLOURS = ['var(--accent)', 'var(--warn)', 'var(--good)', 'var(--note)', 'var(--bad)'];
/** Pixels of a plot on a desk and on a phone. */
const [WIDE, SLIM, BARS] = [1100, 340, 540];

/** A plot in two sizes, of which a screen shows the one that fits. */
const inBothSizes = (wide: number, plot: (width: number) => string): string =>
  `<div class="wide">${plot(wide)}</div><div class="narrow">${plot(SLIM)}</div>`;

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
<nav aria-label="On this page"><ul>${[
    ['traffic', 'With more visitors'],
    ...(outcome.growth === undefined ? [] : [['growing', 'Growing']]),
    ...cards.map(({ card }, at) => [`card-${at + 1}`, card.name] as const),
    ['rests', 'What it rests on'],
  ]
    .map(([id = '', words = '']) => `<li><a href="#${id}">${text(words)}</a></li>`)
    .join('')}</ul></nav>
<h2 id="traffic">With more visitors, and with fewer</h2>
${inBothSizes(WIDE, (width) =>
  renderLinePlot(
    cards.map(({ card, curve }, at) => ({
      name: card.name,
      colour: COLOURS[at % COLOURS.length] ?? '',
      dashed: at % 2 === 1,
      points: curve.map(({ times, amount }) => [visitsAt(outcome, times), Number(amount)] as const),
    })),
    width,
    {
      x: {
        name: outcome.traffic.from === 'visitors' ? 'visits a month' : 'reads a month',
        format: (value) => formatCount(Math.round(value)),
      },
      y: {
        name: `${first?.card.currency ?? ''} a month`,
        format: (value) => String(Number(value.toPrecision(2))),
      },
    },
  ),
)}
<p>Both in powers of ten. A line bends where a tier or what is free ends.</p>
${outcome.growth === undefined ? '' : renderGrowth(cards, outcome.growth)}
${cards.map((card, at) => renderCard(card, outcome, `card-${at + 1}`)).join('\n')}
<h2 id="rests">What it rests on</h2>
<p>${text(restsOn(outcome))}</p>
</main>
</body>
</html>
`;
}

function renderGrowth(cards: readonly CardCost[], growth: number): string {
  const rows = Array.from(
    { length: 12 },
    (_, at) =>
      `<tr><th scope="row">month ${at + 1}</th>${cards.map(({ card, growing }) => `<td class="num" data-about="${text(card.name)}">${growing?.months[at] ?? ''}</td>`).join('')}</tr>`,
  );
  return `<h2 id="growing">Growing by ${growth / 10} % a month</h2>
<div class="scroll"><table><thead><tr><th scope="col"></th>${cards.map(({ card }) => `<th scope="col" class="num">${text(card.name)}, ${text(card.currency)}</th>`).join('')}</tr></thead><tbody>
${rows.join('\n')}
</tbody><tfoot><tr><th scope="row">together</th>${cards.map(({ card, growing }) => `<td class="num" data-about="${text(card.name)}">${growing?.year ?? ''}</td>`).join('')}</tr></tfoot></table></div>`;
}

const visitsAt = ({ traffic, usage }: CostOutcome, times: number): number =>
  times * (traffic.from === 'visitors' ? Math.max(1, traffic.visitors) : Math.max(1, Number(usage.read)));

function renderCard(cost: CardCost, outcome: CostOutcome, id: string): string {
  const { card, months, year, withoutHeaders, withAdvice, rules, top } = cost;
  const last = months.at(-1);
  const money = (amount: string): string => `${amount} ${card.currency}`;
  const parts = [...new Set(months.flatMap(({ parts: own }) => own.map(({ part }) => part)))];
  const rows = parts.map((part) => {
    const units = months[0]?.parts.find((each) => each.part === part)?.units ?? 0n;
    const amounts = months.map(({ parts: own }) => own.find((each) => each.part === part)?.amount ?? '0');
    const shown = unitsInWords(part, units);
    return `<tr><th scope="row">${PART_WORDS[part]}</th><td class="num${shown === '' ? ' na' : ''}">${shown}</td>${amounts.map((amount, at) => `<td class="num" data-about="month ${months[at]?.month ?? ''}">${amount}</td>`).join('')}</tr>`;
  });
  const beside = [
    ...(withoutHeaders
      ? [['the same with no cache headers (browsers guess then)', money(withoutHeaders.sum)]]
      : []),
    ...(withAdvice && outcome.advice !== undefined
      ? [[`with ${outcome.advice}`, money(withAdvice.sum)]]
      : []),
    ...rules
      .filter(({ saves }) => !isNothing(saves))
      .map(({ line, saves }) => [`${line} saves`, money(saves)]),
  ];
  const idle = rules.filter(({ saves }) => isNothing(saves)).length;
  const bars = (last?.parts ?? []).filter(({ amount }) => Number(amount) > 0);
  return `<h2 id="${id}">${text(card.name)}</h2>
<div class="scroll"><table><thead><tr><th scope="col">part</th><th scope="col" class="num"></th>${months.map(({ month }) => `<th scope="col" class="num">month ${month}</th>`).join('')}</tr></thead><tbody>
${rows.join('\n')}
</tbody><tfoot><tr><th scope="row">the month, in ${text(card.currency)}</th><td class="na"></td>${months.map(({ month, sum }) => `<td class="num" data-about="month ${month}">${sum}</td>`).join('')}</tr></tfoot></table></div>
<p>The first twelve months come to ${text(money(year))}.</p>
${
  bars.length > 1
    ? inBothSizes(BARS, (width) =>
        renderBarPlot(
          bars.map(({ part, amount }) => ({
            name: PART_WORDS[part],
            value: Number(amount),
            label: money(amount),
          })),
          width,
        ),
      )
    : ''
}
${beside.length > 0 ? `<h3>What caching is worth</h3><div class="scroll"><table><tbody>${beside.map(([what = '', amount = '']) => `<tr><th scope="row">${text(what)}</th><td class="num">${text(amount)}</td></tr>`).join('')}</tbody></table></div>` : ''}
${idle > 0 ? `<p>${countOf(idle, rules.length > idle ? 'other line' : 'line')} of assign with cache save${idle === 1 ? 's' : ''} nothing.</p>` : ''}
${top.length > 0 ? `<h3>What costs most</h3><div class="scroll"><table><thead><tr><th scope="col"></th><th scope="col" class="num">requests</th><th scope="col" class="num">bytes</th><th scope="col" class="num">${text(card.currency)}</th></tr></thead><tbody>${top.map(({ what, requests, bytes, amount }) => `<tr><th scope="row">${text(what)}</th><td class="num" data-about="requests">${formatCount(requests)}</td><td class="num" data-about="bytes">${formatBytes(bytes)}</td><td class="num" data-about="${text(card.currency)}">${amount}</td></tr>`).join('')}</tbody></table></div>` : ''}`;
}
