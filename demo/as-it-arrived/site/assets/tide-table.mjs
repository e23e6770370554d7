import { formatRow } from 'format-row';

const place = document.getElementById('tides');
const answer = await fetch('/data/tides.json');
if (answer.ok) {
  const { week } = await answer.json();
  const rows = week.map(formatRow).join('');
  place.innerHTML = `<table><thead><tr><th>Day</th><th>High water</th><th>Wheel turns</th></tr></thead><tbody>${rows}</tbody></table>`;
}
