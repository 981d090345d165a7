// The reader. Pages stand and scroll without it; it fetches what comes near,
// moves, zooms, prints. Nothing is kept beyond the visit.
import { Near } from './near.js';
import { Edge } from './edge.js';

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

/** The page at the reading line, a third down the frame. */
function pageInView() {
  const line = pages.scrollTop + pages.clientHeight / 3;
  let low = 0;
  let high = sheets.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if (sheets[middle].offsetTop <= line) low = middle;
    else high = middle - 1;
  }
  // At the very end the last page counts, however short it is.
  if (pages.scrollTop > 0 && pages.scrollTop + pages.clientHeight >= pages.scrollHeight - 2) return sheets.length;
  return low + 1;
}

function tell(page) {
  current = page;
  if (entry && document.activeElement !== entry) entry.value = page;
  for (const [name, off] of [['back', page <= 1], ['on', page >= sheets.length]]) {
    tool(name)?.setAttribute('aria-disabled', String(off));
  }
  edge?.show(page);
}

function go(page, announce = true) {
  const to = Math.min(Math.max(page, 1), sheets.length);
  pages.scrollTop = sheets[to - 1].offsetTop - 12;
  tell(to);
  if (announce) said.textContent = `Page ${to} of ${sheets.length}`;
}

// Moving.
const edgeElement = document.getElementById('edge');
const edge = edgeElement ? new Edge(edgeElement, sheets, go) : null;
let waiting = false;
pages.addEventListener('scroll', () => {
  if (waiting) return;
  waiting = true;
  requestAnimationFrame(() => {
    waiting = false;
    tell(pageInView());
  });
}, { passive: true });

document.addEventListener('click', (event) => {
  const link = event.target.closest('a[data-page], .ticks a');
  if (!link) return;
  event.preventDefault();
  const page = Number(link.dataset.page || link.getAttribute('href').slice(2));
  go(page);
  if (link.dataset.page) sheets[page - 1].focus({ preventScroll: true });
});
for (const s of sheets) s.tabIndex = -1;

if (entry) {
  const enter = () => {
    const page = Number(entry.value.trim());
    if (Number.isInteger(page) && page >= 1 && page <= sheets.length) {
      entry.removeAttribute('aria-invalid');
      if (page !== current) go(page);
    } else {
      entry.setAttribute('aria-invalid', 'true');
      said.textContent = `Write a page from 1 to ${sheets.length}.`;
    }
  };
  entry.addEventListener('change', enter);
  entry.addEventListener('keydown', (event) => {
    if (event.key === 'Enter') enter();
    if (event.key === 'ArrowUp' || event.key === 'ArrowDown') {
      event.preventDefault();
      go(current + (event.key === 'ArrowUp' ? -1 : 1));
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
  const before = perPoint();
  const x = (pages.scrollLeft + pages.clientWidth / 2) / before;
  const y = pages.scrollTop + pages.clientHeight / 2;
  const at = sheets[current - 1];
  const within = (y - at.offsetTop) / before;
  opening.replaceSync(wanted === null ? '' : `.pages .sheet.sheet.sheet { --pt: ${(wanted / 100) * (4 / 3)}px }`);
  const after = perPoint();
  near.resize();
  pages.scrollLeft = x * after - pages.clientWidth / 2;
  pages.scrollTop = at.offsetTop + within * after - pages.clientHeight / 2;
  showZoom();
  said.textContent = `Size ${percent()} %`;
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
  view.title = 'Print view';
  view.tabIndex = -1;
  view.src = `${base}/print`;
  button.setAttribute('aria-disabled', 'true');
  said.textContent = 'Getting the pages ready to print';
  body.append(view);
}
window.addEventListener('message', (event) => {
  if (event.origin !== location.origin || typeof event.data?.printed !== 'boolean') return;
  tool('print')?.setAttribute('aria-disabled', 'false');
  said.textContent = event.data.printed ? 'Ready to print' : `${event.data.failed} pages could not be made ready; please try again.`;
});

const deeds = {
  back: () => go(current - 1), on: () => go(current + 1),
  smaller, larger, opening: () => zoomTo(null), full: fullScreen, print,
};
document.addEventListener('click', (event) => {
  const button = event.target.closest('[data-do]');
  if (button && button.getAttribute('aria-disabled') !== 'true') deeds[button.dataset.do]();
});

// Keys: the toolbar is one stop, arrows move inside it (WAI-ARIA toolbar).
const bar = document.querySelector('.bar');
const stops = bar ? [...bar.querySelectorAll('button, a, input')] : [];
function stopAt(element) {
  for (const s of stops) s.tabIndex = s === element ? 0 : -1;
}
if (stops.length) stopAt(stops[0]);
bar?.addEventListener('focusin', (event) => stopAt(event.target));
bar?.addEventListener('keydown', (event) => {
  const at = stops.indexOf(document.activeElement);
  const typing = event.target === entry && entry.selectionStart !== entry.selectionEnd;
  const to = { ArrowLeft: at - 1, ArrowRight: at + 1, Home: 0, End: stops.length - 1 }[event.key];
  if (at < 0 || to === undefined || typing) return;
  event.preventDefault();
  event.stopPropagation();
  stops[(to + stops.length) % stops.length].focus();
});
document.addEventListener('keydown', (event) => {
  if (event.altKey || event.ctrlKey || event.metaKey || event.target.tagName === 'INPUT') return;
  if (event.key === '?' && !document.querySelector('dialog')) keys();
  const turn = { ArrowLeft: -1, ArrowRight: 1, PageUp: -1, PageDown: 1 }[event.key];
  const wide = pages.scrollWidth > pages.clientWidth + 1;
  if (turn && keysTurn && !edgeElement?.contains(event.target) && !(wide && event.key.startsWith('Arrow'))) {
    event.preventDefault();
    go(current + turn);
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
    keysTurn && ['← → Page Up, Page Down', 'turn the page'], keysTurn && ['Home, End', 'first and last page'],
    tool('larger') && ['+ and −', 'larger, smaller'], tool('opening') && ['0', 'size at opening'],
    bar && ['Tab, then ← →', 'move in the tools'], ['Esc', 'close this'],
  ].filter(Boolean);
  const dialog = document.createElement('dialog');
  dialog.className = 'keys';
  dialog.setAttribute('aria-label', 'Keys');
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
const asked = Number(body.dataset.open);
if (asked > 1) go(asked, false);
else tell(1);
showZoom();
new ResizeObserver(() => {
  near.resize();
  showZoom();
}).observe(pages);
body.dataset.ready = '';
