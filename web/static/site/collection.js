// A collection without loading anew: one document is chosen at a time, the
// choice is in the address, and a page around it is told. Which documents there
// are and what matches, the server says; without this script its links do the
// same.
const { body } = document;
body.classList.add('enhanced');
const page = () => document.getElementById('entries');
const { lang } = document.documentElement;
const { numberingSystem } = new Intl.NumberFormat(body.dataset.numbers).resolvedOptions();
const own = navigator.languages.find((l) => l.split('-')[0] === lang.split('-')[0]) ?? lang;
const dates = (root) => {
  for (const t of root.querySelectorAll('time')) t.textContent = new Date(`${t.dateTime}T12:00`).toLocaleDateString(own,
    { dateStyle: 'long', numberingSystem });
};
dates(document);
const host = parent === window ? null : parent;
const tell = (said) => host?.postMessage(said, '*');

let latest = ''; // the address that was asked for last

/** Takes over from an answer of the server what an address shows. */
async function take(address) {
  const wanted = new URL(address, location.href).href;
  latest = wanted;
  let answer;
  try {
    answer = await fetch(wanted);
  } catch {
    location.assign(wanted);
    return false;
  }
  const text = await answer.text();
  if (latest !== wanted) return false;
  const next = new DOMParser().parseFromString(text, 'text/html');
  dates(next);
  page().replaceWith(next.getElementById('entries'));
  const [count, found] = [document, next].map((d) => d.querySelector('.count'));
  if (count.textContent !== found.textContent) count.textContent = found.textContent;
  const [was, is] = [body.dataset.shown, next.body.dataset.shown];
  body.className = `${next.body.className} enhanced`;
  body.dataset.shown = is;
  const pick = document.querySelector('.pick select');
  if (pick) pick.value = is;
  for (const hidden of document.querySelectorAll('.ask input[name=show]')) hidden.value = is;
  if (was !== is || !is !== !document.querySelector('.shown')) {
    const now = document.querySelector('.shown');
    const viewer = next.querySelector('.shown');
    if (now && viewer) now.replaceWith(viewer);
    else if (viewer) document.querySelector('.boards').append(viewer);
    else now?.remove();
    const title = viewer?.querySelector('iframe').title ?? '';
    count.textContent = title;
    tell({ incipit: 'chosen', key: is, title });
  }
  return true;
}

/** Goes to an address of this collection. In a page around it, the address is
    that page's. */
async function go(address, keep) {
  if (!(await take(address))) return;
  if (host || keep) history.replaceState(null, '', address);
  else history.pushState(null, '', address);
}

document.addEventListener('click', async (event) => {
  const link = event.target.closest('a[data-key]');
  if (!link || event.button || event.ctrlKey || event.metaKey || event.shiftKey) return;
  event.preventDefault();
  const { key } = link.dataset;
  const before = body.dataset.shown;
  await go(link.href);
  // The focus stays with the choice, and comes back to it from the document.
  if (key && body.classList.contains('reading')) document.querySelector('.back a')?.focus();
  else page().querySelector(`a[data-key="${key || before}"]`)?.focus();
});

// Arrow keys go from one title to the next.
document.addEventListener('keydown', (event) => {
  const by = { ArrowDown: 1, ArrowUp: -1, Home: -Infinity, End: Infinity }[event.key];
  if (!by || !event.target.closest?.('#entries')) return;
  const all = [...page().querySelectorAll('a')];
  const at = all.indexOf(event.target.closest('a'));
  if (at < 0) return;
  event.preventDefault();
  all[Math.min(Math.max(at + by, 0), all.length - 1)].focus();
});

const asked = () => {
  const query = new URLSearchParams();
  for (const form of /** @type {NodeListOf<HTMLFormElement>} */ (document.querySelectorAll('.ask, .pick'))) for (const [name,
    value] of new FormData(form)) if (value) query.set(name, String(value));
  return `?${query}`;
};
document.addEventListener('change', (event) => {
  if (event.target.matches('.pick select')) go(asked());
  else if (event.target.matches('.ask select')) go(asked(), true);
});
let typing;
document.addEventListener('input', (event) => {
  if (!event.target.matches('[name=find]')) return;
  clearTimeout(typing);
  typing = setTimeout(() => go(asked(), true), 150);
});
document.addEventListener('submit', (event) => {
  event.preventDefault();
  go(asked());
});
addEventListener('popstate', () => take(location.href));

// The page around it may choose, too; what the viewer says goes on to it.
addEventListener('message', (event) => {
  if (typeof event.data?.incipit !== 'string') return;
  if (event.source === document.getElementById('viewer')?.contentWindow) tell(event.data);
  else if (event.source === host && event.data.incipit === 'choose' &&
    /^([a-z0-9]{20})?$/.test(event.data.key)) take(event.data.key ? `?show=${event.data.key}` : '?');
});
tell({ incipit: 'ready' });
