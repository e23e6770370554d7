/** A change list as one page that needs nothing else; it holds the list as data too. */
import { CHANGE_KINDS, type Change } from '../../core/release/change-list.js';
import type { ListOfChanges } from '../../core/release/list-of-changes.js';
import { countOf, formatCount } from '../../core/words/counts.js';
import { listProperties, showSetting } from '../text/changes-text.js';
import { folded, openPage, text } from './page.js';

const OPEN = 200;
const LEVELS = { add: 'note', replace: 'warning', relabel: 'warning', remove: 'error' } as const;

/** @param agree the command that publishes exactly this */
export function renderListPage(list: ListOfChanges, agree: string): string {
  const { bucket, store, base, changes, settings, access } = list;
  const count = changes.length + settings.length;
  const title = `${countOf(count, 'change')} to ${bucket}`;
  const start = base === 0 ? 'a new bucket, closed until it is opened' : `${access}, at release ${base}`;
  const tiles = CHANGE_KINDS.map((kind) => {
    const of = changes.filter(({ change }) => change === kind).length;
    return `<li class="${of > 0 ? LEVELS[kind] : 'zero'}"><b>${formatCount(of)}</b><span>to ${kind}</span></li>`;
  });
  return `${openPage(title)}
<header>
<p class="maker">fenestra publish: a change list</p>
<h1 class="verdict plain">${text(title)}</h1>
<p class="about">${text(bucket)} in the store ${text(store)}: ${start}. Nothing was published.</p>
<p class="cure"><b>Publish exactly this with</b><span>${text(agree)}</span></p>
</header>
<main>
<ul class="tiles">${tiles.join('')}<li class="zero"><b>${formatCount(settings.length)}</b><span>settings to change</span></li></ul>
${settings.length === 0 ? '' : `<h2>Settings</h2>\n<section class="rule">${folded(settings.map(settingPart), OPEN)}</section>`}
<h2>Objects</h2>
${changes.length === 0 ? '<p class="fine">None changes.</p>' : `<section class="rule">${folded(changes.map(changePart), OPEN)}</section>`}
</main>
<script type="application/json" id="change-list">${JSON.stringify(list).replace(/</g, '\\u003c')}</script>
</body>
</html>
`;
}

const settingPart = ({ name, was, becomes }: ListOfChanges['settings'][number]): string =>
  `<li><div class="place">${text(name)}</div>${property('', showSetting(was, name), showSetting(becomes, name))}</li>`;

function changePart(change: Change): string {
  const { key, movedFrom } = change;
  const moved = movedFrom === undefined ? '' : `<div class="what">the bytes of ${text(movedFrom)}</div>`;
  const properties = listProperties(change).map(({ name, before, after }) => property(name, before, after));
  return `<li><div class="place"><span class="level ${LEVELS[change.change]}">${change.change}</span> ${text(key)}</div>${moved}${properties.join('')}</li>`;
}

const property = (name: string, before: string, after: string): string =>
  `<div class="what property">${name === '' ? '' : `<span class="fine">${text(name)}</span> `}${text(before)} → ${text(after)}</div>`;
