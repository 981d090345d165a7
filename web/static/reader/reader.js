// The reader. Pages stand and scroll without it; it fetches what comes near,
// moves, zooms, prints. Nothing is kept beyond the visit.
import { Near } from './near.js';
import { Edge } from './edge.js';
import { Flow } from './flow.js';
import { Bar } from './bar.js';
import { say } from './words.js';
import { placeOf } from './place.js';

const body = document.body;
const pages = document.getElementById('pages');
const sheets = [...pages.querySelectorAll('.sheet')];
const said = document.getElementById('said');
const entry = document.getElementById('number');
const shownZoom = document.getElementById('zoom');
const { base, mark, ladder } = body.dataset;
const keysTurn = 'keys' in body.dataset;
const tool = (name) => document.querySelector(`[data-do=${name}]`);

let current = 1;
let contents = null;

const flow = new Flow(pages, sheets);

function tell(page) {
  current = page;
  if (entry && document.activeElement !== entry) entry.value = page;
  const row = flow.row(page);
  for (const [name, off] of [['back', row <= 0], ['on', row >= flow.rows.length - 1]]) {
    tool(name)?.setAttribute('aria-disabled', String(off));
  }
  edge?.show(page);
  contents?.mark(page);
}

function go(page, announce = true) {
  const to = Math.min(Math.max(page, 1), sheets.length);
  flow.to(flow.row(to));
  tell(to);
  if (announce) said.textContent = say('page_of', { n: to, all: sheets.length });
}

/** Turns by rows: two pages that face each other are one step. */
function turn(by) {
  const row = Math.min(Math.max(flow.row(current) + by, 0), flow.rows.length - 1);
  go(flow.first(row));
}

// Moving.
flow.wheel(turn);
const edgeElement = document.getElementById('edge');
const edge = edgeElement ? new Edge(edgeElement, sheets, go) : null;
let waiting = false;
pages.addEventListener('scroll', () => {
  if (waiting) return;
  waiting = true;
  requestAnimationFrame(() => {
    waiting = false;
    const row = flow.inView();
    // A page one went to stays the one told, while its row is in view.
    tell(flow.row(current) === row ? current : flow.first(row));
  });
}, { passive: true });

document.addEventListener('click', (event) => {
  const link = event.target.closest('a[data-page], .ticks a');
  if (!link) return;
  event.preventDefault();
  const page = Number(link.dataset.page || link.getAttribute('href').slice(2));
  if (link.dataset.page) {
    // Back leads to where the link was.
    history.replaceState({ page: current }, '');
    history.pushState({ page }, '', `#page=${page}`);
  }
  go(page);
  if (link.dataset.page) sheets[page - 1].focus({ preventScroll: true });
});
for (const s of sheets) s.tabIndex = -1;

window.addEventListener('popstate', (event) => {
  if (event.state?.page) go(event.state.page);
});

/** A page by its number, or else by its label. */
function pageNamed(text) {
  const number = Number(text);
  if (Number.isInteger(number) && number >= 1 && number <= sheets.length) return number;
  return Number(sheets.find((s) => s.dataset.label?.toLowerCase() === text.toLowerCase())?.dataset.page ?? NaN);
}

if (entry) {
  const enter = () => {
    const page = pageNamed(entry.value.trim());
    if (Number.isInteger(page) && page >= 1 && page <= sheets.length) {
      entry.removeAttribute('aria-invalid');
      if (page !== current) go(page);
    } else {
      entry.setAttribute('aria-invalid', 'true');
      said.textContent = say('bounds', { n: sheets.length });
    }
  };
  entry.addEventListener('change', enter);
  entry.addEventListener('keydown', (event) => {
    if (event.key === 'Enter') enter();
    if (event.key === 'ArrowUp' || event.key === 'ArrowDown') {
      event.preventDefault();
      turn(event.key === 'ArrowUp' ? -1 : 1);
      entry.value = current;
    }
  });
  entry.addEventListener('blur', () => {
    entry.value = current;
    entry.removeAttribute('aria-invalid');
  });
  entry.addEventListener('focus', () => entry.select());
}

// Zooming. A step keeps the point in the middle where it is.
const steps = [10, 25, 33, 50, 67, 75, 90, 100, 110, 125, 150, 175, 200, 250, 300, 400, 500, 640];
const perPoint = () => sheets[0].getBoundingClientRect().width / Number(getComputedStyle(sheets[0]).getPropertyValue('--w'));
const percent = () => Math.round((perPoint() / (4 / 3)) * 100);

function showZoom() {
  const now = percent();
  if (shownZoom) shownZoom.textContent = `${now} %`;
  tool('smaller')?.setAttribute('aria-disabled', String(now <= steps[0]));
  tool('larger')?.setAttribute('aria-disabled', String(now >= steps.at(-1)));
}

const opening = new CSSStyleSheet();
document.adoptedStyleSheets = [opening];

function zoomTo(wanted) {
  const sheet = sheets[current - 1];
  const room = pages.getBoundingClientRect();
  const middle = [room.left + room.width / 2, room.top + room.height / 2];
  const before = sheet.getBoundingClientRect();
  const part = [(middle[0] - before.left) / before.width, (middle[1] - before.top) / before.height];
  opening.replaceSync(wanted === null ? '' : `.pages .row.row.row.row { --pt: ${(wanted / 100) * (4 / 3)}px }`);
  near.resize();
  const after = sheet.getBoundingClientRect();
  const by = { left: after.left + part[0] * after.width - middle[0], top: after.top + part[1] * after.height - middle[1], behavior: 'instant' };
  if (flow.turns) {
    flow.to(flow.row(current));
    sheet.closest('.slot').scrollBy(by);
  } else pages.scrollBy(by);
  showZoom();
  said.textContent = say('size', { n: percent() });
}
/** Sets the size that an address asks for. */
function lookAt({ zoom, view }) {
  if (zoom) zoomTo(zoom);
  if (!view) return;
  const style = getComputedStyle(pages);
  const of = (name, room) => (room - 24) / Number(style.getPropertyValue(name));
  const wide = of('--maxw', pages.parentElement.clientWidth);
  const scale = view === 'Fit' ? Math.min(wide, of('--maxh', pages.parentElement.clientHeight)) : wide;
  zoomTo(Math.min(Math.max(scale * 75, steps[0]), steps.at(-1)));
}
const smaller = () => zoomTo(steps.findLast((s) => s < percent()) ?? steps[0]);
const larger = () => zoomTo(steps.find((s) => s > percent()) ?? steps.at(-1));

// Taking and showing.
function fullScreen() {
  if (document.fullscreenElement) return document.exitFullscreen();
  if (!document.fullscreenEnabled) return window.open(location.href, '_blank', 'noopener');
  return document.documentElement.requestFullscreen().catch(() => window.open(location.href, '_blank', 'noopener'));
}

function print() {
  const button = tool('print');
  if (button.getAttribute('aria-disabled') === 'true') return;
  document.getElementById('printing')?.remove();
  const view = document.createElement('iframe');
  view.id = 'printing';
  view.className = 'unseen';
  view.title = say('print_view');
  view.tabIndex = -1;
  view.src = `${base}/print`;
  button.setAttribute('aria-disabled', 'true');
  said.textContent = say('printing');
  body.append(view);
}
window.addEventListener('message', (event) => {
  if (event.origin !== location.origin || typeof event.data?.printed !== 'boolean') return;
  tool('print')?.setAttribute('aria-disabled', 'false');
  said.textContent = say(event.data.printed ? 'ready' : 'failed');
});

// The contents come with the first look at them.
async function toggleContents() {
  const button = tool('contents');
  const nav = document.getElementById('contents');
  if (!nav.hidden) return contents.close();
  const { Contents } = await import('./contents.js');
  contents ??= new Contents(nav, `${base}/contents/${mark}`, (page) => go(page), () => {
    button.setAttribute('aria-expanded', 'false');
    button.focus();
  });
  await contents.open(current);
  button.setAttribute('aria-expanded', 'true');
}

const deeds = {
  contents: toggleContents,
  back: () => turn(-1), on: () => turn(1),
  smaller, larger, opening: () => zoomTo(null), full: fullScreen, print,
};
document.addEventListener('click', (event) => {
  const button = event.target.closest('[data-do]');
  if (button && button.getAttribute('aria-disabled') !== 'true') deeds[button.dataset.do]();
});

const barbox = document.getElementById('barbox');
const bar = barbox && new Bar(barbox);
// Without a pointer that hovers, a tap brings a bar that comes on approach.
if (body.classList.contains('approach')) {
  pages.addEventListener('click', () => body.classList.toggle('tapped'));
}

document.addEventListener('keydown', (event) => {
  if (event.altKey || event.ctrlKey || event.metaKey || event.target.tagName === 'INPUT') return;
  if (event.key === '?' && !document.querySelector('dialog')) keys();
  const on = flow.backward ? -1 : 1;
  const by = { ArrowLeft: -on, ArrowRight: on, PageUp: -1, PageDown: 1 }[event.key];
  const wide = !flow.sideways && pages.scrollWidth > pages.clientWidth + 1;
  if (by && keysTurn && !edgeElement?.contains(event.target) && !(wide && event.key.startsWith('Arrow'))) {
    event.preventDefault();
    turn(by);
  } else if (event.key === 'Home' && keysTurn) {
    event.preventDefault();
    go(1);
  } else if (event.key === 'End' && keysTurn) {
    event.preventDefault();
    go(sheets.length);
  } else if (tool('larger') && (event.key === '+' || event.key === '=')) larger();
  else if (tool('smaller') && event.key === '-') smaller();
  else if (tool('opening') && event.key === '0') zoomTo(null);
});

// "?" lists the keys that do something here.
function keys() {
  const list = [
    keysTurn && ['← → Page Up, Page Down', say('key_turn')], keysTurn && ['Home, End', say('key_ends')],
    tool('larger') && ['+ and −', say('key_zoom')], tool('opening') && ['0', say('key_opening')],
    bar && ['Tab, then ← →', say('key_tools')], ['Esc', say('key_close')],
  ].filter(Boolean);
  const dialog = document.createElement('dialog');
  dialog.className = 'keys';
  dialog.setAttribute('aria-label', say('keys'));
  for (const [key, deed] of list) {
    const line = document.createElement('p');
    const name = document.createElement('kbd');
    name.textContent = key;
    line.append(name, deed);
    dialog.append(line);
  }
  dialog.addEventListener('close', () => dialog.remove());
  dialog.addEventListener('click', () => dialog.close());
  body.append(dialog);
  dialog.showModal();
}

// Start.
const near = new Near(pages, sheets, { base, mark, widths: ladder.split(' ').map(Number) });
const place = { page: Number(body.dataset.open), ...placeOf(location.hash, sheets.length) };
lookAt(place);
if (place.page > 1) go(place.page, false);
else tell(1);
showZoom();
window.addEventListener('hashchange', () => {
  const to = placeOf(location.hash, sheets.length);
  lookAt(to);
  if (to.page) go(to.page);
});
new ResizeObserver(() => {
  near.resize();
  showZoom();
  if (flow.turns) flow.to(flow.row(current));
}).observe(pages);
body.dataset.ready = '';
