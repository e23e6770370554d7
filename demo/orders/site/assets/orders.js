// Shows what the address in the bar is of, and changes it without asking for a page.
const VIEWS = [
  [/^\/$/, () => 'All orders'],
  [/^\/orders\/(\d+)\/?$/, (number) => `Order ${number}: flour, stoneground`],
  [/^\/about\/?$/, () => 'About the orders'],
];

function show() {
  const main = document.getElementById('app');
  const path = location.pathname;
  const [pattern, view] = VIEWS.find(([each]) => each.test(path)) ?? [/$/, () => 'There is no such order'];
  const heading = document.createElement('h1');
  heading.textContent = view(...(pattern.exec(path) ?? []).slice(1));
  main.replaceChildren(heading);
}

document.addEventListener('click', (event) => {
  const link = event.target.closest?.('a');
  if (!link || link.origin !== location.origin) return;
  event.preventDefault();
  history.pushState(null, '', link.href);
  show();
});
addEventListener('popstate', show);
show();
