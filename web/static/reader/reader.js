// The reader. Pages stand and scroll without it; it fetches what comes near,
// moves, zooms, and opens what its tools open. Nothing is kept beyond the visit.
import { Near, Away } from './near.js';
import { Edge } from './edge.js';
import { Flow, grow } from './flow.js';
import { Bar, Side } from './bar.js';
import { Zoom } from './zoom.js';
import { say, num, read, make, pause, press, shut } from './make.js';

const { body } = document;
if (parent !== window) body.classList.add('framed');
const pages = document.getElementById('pages');
const view = document.getElementById('view');
await grow(pages.firstElementChild);
const sheets = [...pages.querySelectorAll('.sheet')];
const said = document.getElementById('said');
const entry = document.getElementById('number');
const shownZoom = document.getElementById('zoom');
const { base, mark } = body.dataset;
const keysTurn = 'keys' in body.dataset;
const tool = (name) => document.querySelector(`[data-do=${name}]`);

let current = 1;
let arrived = -1; // where going to a page has led
let text = null; // the text view, once it was opened
const flow = new Flow(pages, sheets);

/** Tells the web page around what happens here: where we may be framed is kept
    by the server (frame-ancestors). */
const told = (incipit, more) => { if (parent !== window) parent.postMessage({ incipit, ...more }, '*'); };

told('here');

function tell(page) {
  const other = page !== current;
  current = page;
  if (other) told('page', { page, of: sheets.length, label: labelOf(page),
    tall: body.offsetHeight - pages.clientHeight + sheets[page - 1].offsetHeight + 24 });
  if (entry && document.activeElement !== entry) entry.value = num(page);
  const row = flow.row(page);
  for (const [name, off] of [['back', row <= 0], ['on', row >= flow.rows.length - 1]]) {
    tool(name)?.setAttribute('aria-disabled', String(off));
  }
  edge?.show(page);
  side.mark(page);
  if (other) for (const f of reader.turned) f(page);
}

// On paper comes the page that is read (paper.css).
onbeforeprint = () => sheets.forEach((s, i) => s.classList.toggle('now', i === current - 1));

function go(page, announce = true) {
  const to = Math.min(Math.max(page, 1), sheets.length);
  if (text?.isOpen) text.go(to);
  else {
    flow.to(flow.row(to));
    held = flow.held();
    arrived = flow.along;
    near.first(sheets[to - 1]);
  }
  tell(to);
  if (announce) said.textContent = say('page_of', { n: to, all: sheets.length });
}

/** Goes to a page and brings a box on it, in points, into view. */
function show(page, box) {
  if (text?.isOpen) text.close(page);
  if (!box) return void go(page, false);
  const scale = zoom.points(sheets[page - 1]);
  const room = pages.getBoundingClientRect();
  let rect = sheets[page - 1].getBoundingClientRect();
  // Where the middle of the box stands on the page, turned or not.
  const [u, v] = [(box.x + box.w / 2) * scale, (box.y + box.h / 2) * scale];
  const [x, y] = [[u, v], [rect.width - v, u], [rect.width - u, rect.height - v], [v, rect.height - u]][zoom.turned];
  const inView = () => rect.left + x > room.left + 20 && rect.left + x < room.right - 20 && rect.top + y > room.top + 20 &&
    rect.top + y < room.bottom - 40;
  if (inView()) return void tell(page);
  go(page, false);
  rect = sheets[page - 1].getBoundingClientRect();
  if (inView()) return;
  const by = { left: rect.left + x - room.left - room.width / 2, top: rect.top + y - room.top - room.height / 3, behavior: 'instant' };
  const seen = rect.left + x > room.left && rect.left + x < room.right;
  if (seen && Math.abs(by.left) < room.width / 2 - 20) by.left = 0;
  (flow.turns ? sheets[page - 1].closest('.slot') : pages).scrollBy(/** @type {ScrollToOptions} */ (by));
}

/** Turns by rows: two pages that face each other are one step. */
function turn(by) {
  const row = Math.min(Math.max(flow.row(current) + by, 0), flow.rows.length - 1);
  go(flow.first(row));
}

/** The place that is read: the page, and the part of it above the frame. */
function placeNow() {
  const box = sheets[current - 1].getBoundingClientRect();
  const top = pages.getBoundingClientRect().top;
  const part = (top + 12 - box.top) / box.height;
  return { page: current, part: part < 0.04 ? 0 : Math.min(part, 0.98), zoom: zoom.asked };
}

function placeAt({ page, part, zoom: percent }) {
  if (percent) zoom.at(percent, null, true);
  go(page, false);
  if (part > 0.02) (flow.turns ? sheets[page - 1].closest('.slot') : pages).scrollBy({ top: part * sheets[page - 1].offsetHeight,
    behavior: 'instant' });
}

/** Goes to a place that links and contents name: a page, how far below its top, in
    points, and in which size. */
function arrive({ page, top = 0, left, zoom: percent }) {
  if (text?.isOpen) return void text.go(page);
  if (percent) zoom.at(percent, null, true);
  go(page, false);
  if (!top && !left) return;
  const scale = zoom.points(sheets[page - 1]);
  const room = pages.getBoundingClientRect();
  const rect = sheets[page - 1].getBoundingClientRect();
  const [u, v] = [(left ?? 0) * scale, top * scale];
  const [x, y] = [[u, v], [rect.width - v, u], [rect.width - u, rect.height - v], [v, rect.height - u]][zoom.turned];
  const seen = rect.left + x >= room.left && rect.left + x < room.right - 40;
  const by = { left: seen ? 0 : rect.left + x - room.left - 12, top: rect.top + y - room.top - 12, behavior: 'instant' };
  (flow.turns ? sheets[page - 1].closest('.slot') : pages).scrollBy(/** @type {ScrollToOptions} */ (by));
}

/** A step that Back undoes. The next of a row of such takes its place. */
function step(deed, again = reader.alone) {
  if (!again) history.replaceState({ place: placeNow() }, '');
  deed();
  history[again ? 'replaceState' : 'pushState']({ place: placeNow() }, '', `#page=${current}`);
}

const leap = (place) => step(() => arrive(place));

const labelOf = (page) => sheets[page - 1].dataset.label ?? num(page);

/** What the panels and the text view may ask. */
const reader = {
  base, mark, pages, sheets, said, flow, go, show, tell, placeNow, placeAt, labelOf, arrive, step, leap, focusSheet,
  came: new Set(), resized: new Set(), turned: new Set(),
  get page() { return current; },
  addressNow: () => `${location.origin}${base}#edition=${mark}&page=${current}${zoom.asked ? `&zoom=${zoom.percent}` : ''}`,
  /** A line at the foot of the pages, until it is shut. */
  notice(name, words, ...more) {
    if (document.getElementById(`note-${name}`)) return;
    view.append(make('div', { class: 'notice', id: `note-${name}`, role: 'status' }, make('span', {}, words), ...more,
      shut(() => reader.drop(name))));
  },
  drop(name) { document.getElementById(`note-${name}`)?.remove(); },
};
const side = new Side(view, reader);
reader.side = side;

// Moving.
flow.wheel(turn);
const edgeElement = document.getElementById('edge');
const edge = edgeElement ? new Edge(edgeElement, sheets, (img, page) => near.load(img, page, 84), go) : null;
reader.edge = edge;
let waiting = false;
const size = () => pages.clientWidth + ' ' + pages.clientHeight;
let stood = size(); // when the place was found
let held = { row: 0, share: 0 }; // where reading is
pages.addEventListener('scroll', () => {
  if (waiting) return;
  waiting = true;
  requestAnimationFrame(() => {
    waiting = false;
    // Where the frame has changed, the place is kept before it is told.
    if (text?.isOpen || size() !== stood) return;
    // What is measured comes before what is changed: no layout is done twice.
    const row = flow.inView();
    held = flow.held();
    // A page one went to stays the one told, while nobody moved on, also where a short
    // one ends above the reading line, and while its row is the one that is read.
    tell(Math.abs(flow.along - arrived) < 2 || flow.row(current) === row ? current : flow.first(row));
    note();
    sharpen();
    near.soon();
  });
}, { passive: true });
pages.addEventListener('scroll', () => sharpen(), { passive: true, capture: true });

document.addEventListener('click', (event) => {
  const link = event.target.closest('a[data-page], a[data-beyond], .ticks a');
  if (!link) return;
  event.preventDefault();
  const { page, top, zoom: enlarged, beyond } = link.dataset;
  if (beyond) {
    reader.drop('beyond');
    return void reader.notice('beyond', say(beyond === 'none' ? 'beyond_none' : 'beyond_file'));
  }
  if (!page) return void go(Number(link.getAttribute('href').slice(2)));
  // Back leads to where the link was.
  leap({ page: +page, top: +(top ?? 0), zoom: +(enlarged ?? 0) });
  said.textContent = say('page_of', { n: +page, all: sheets.length });
  focusSheet(page);
});

function focusSheet(page) {
  sheets[page - 1].tabIndex = -1;
  sheets[page - 1].focus({ preventScroll: true });
}

const back = ({ place }) => (text?.isOpen ? text.go(place.page) : placeAt(place));
addEventListener('popstate', (event) => { if (event.state?.place) back(event.state); });
// What is left is found again, by Back and by loading anew: the place is noted once
// it rests.
let noting = 0;
function note() {
  clearTimeout(noting);
  noting = setTimeout(() => { if (!text?.isOpen) history.replaceState({ place: placeNow() }, ''); }, 300);
}

/** A page by its number, or else by its label. */
function pageNamed(words) {
  const number = read(words);
  if (Number.isInteger(number) && number >= 1 && number <= sheets.length) return number;
  return Number(sheets.find((s) => s.dataset.label?.toLowerCase() === words.toLowerCase())?.dataset.page ?? NaN);
}

if (entry) {
  const enter = () => {
    const page = pageNamed(entry.value.trim());
    if (Number.isInteger(page)) {
      entry.removeAttribute('aria-invalid');
      reader.drop('bounds');
      if (page !== current) go(page);
    } else {
      entry.setAttribute('aria-invalid', 'true');
      // Said to everybody: seen, and spoken.
      reader.drop('bounds');
      reader.notice('bounds', say('bounds', { n: sheets.length }));
    }
  };
  entry.addEventListener('change', enter);
  entry.addEventListener('keydown', (event) => {
    if (event.key === 'Enter') enter();
    if (event.key === 'ArrowUp' || event.key === 'ArrowDown') {
      event.preventDefault();
      turn(event.key === 'ArrowUp' ? -1 : 1);
      entry.value = num(current);
    }
  });
  entry.addEventListener('blur', () => {
    entry.value = num(current);
    entry.removeAttribute('aria-invalid');
  });
  entry.addEventListener('focus', () => entry.select());
}

// Zooming.
const zoom = new Zoom(flow, () => current, () => near.loosen(), () => {
  near.soon();
  near.resize();
  showZoom();
  sharpen();
});
reader.zoom = zoom;

function showZoom() {
  const [figure, smallest, largest] = zoom.shown();
  if (shownZoom) shownZoom.textContent = figure;
  tool('smaller')?.setAttribute('aria-disabled', String(smallest));
  tool('larger')?.setAttribute('aria-disabled', String(largest));
  for (const f of reader.resized) f();
  note();
}

let tiles = null;
let sharpening = false;
/** Draws tiles where the widest page image is too coarse. */
async function sharpen() {
  if (sharpening || (!tiles && near.width(sheets[current - 1]) * devicePixelRatio <= near.widths.at(-1))) return;
  sharpening = true;
  if (!tiles) {
    const { Tiles } = await away.part('tiles');
    tiles = new Tiles(near, body.dataset.tiles.split(' ').map(Number));
  }
  requestAnimationFrame(() => {
    sharpening = false;
    tiles.draw();
  });
}

// Opening and showing.
function fullScreen() {
  const apart = () => window.open(reader.addressNow(), '_blank', 'noopener');
  if (document.fullscreenElement) return document.exitFullscreen();
  return document.fullscreenEnabled ? document.documentElement.requestFullscreen().catch(apart) : apart();
}

let coming = false; // the text view: pressed again meanwhile, it is not opened and closed
async function asText() {
  if (coming) return;
  if (!text) {
    coming = true;
    const { TextView } = await away.part('text');
    text = new TextView(reader);
    coming = false;
  }
  reader.drop('small');
  if (text.isOpen) text.close();
  else await text.open();
}

let draggable = null; // what it takes to drag, once it was asked for
function dragging() {
  const on = pages.classList.toggle('drags');
  tool('pointer')?.setAttribute('aria-pressed', String(on));
  said.textContent = say(on ? 'drags' : 'selects');
  if (on) draggable ??= away.part('pointer').then(({ drag }) => drag(pages));
}

const deeds = {
  ...Object.fromEntries(['contents', 'find', 'overview', 'layers', 'about', 'print', 'link', 'sizes',
    'take'].map((name) => [name, () => side.toggle(name)])),
  back: () => turn(-1), on: () => turn(1), smaller: () => zoom.smaller(), larger: () => zoom.larger(), rotate: () => zoom.rotate(),
  full: fullScreen, text: asText, pointer: dragging,
};
document.addEventListener('click', (event) => {
  if (event.target.closest('a[download]')) told('download');
  const button = event.target.closest('[data-do]');
  if (!button || button.getAttribute('aria-disabled') === 'true') return;
  // A document of one page has nothing to choose from.
  if (button.dataset.do === 'take' && sheets.length === 1) return;
  event.preventDefault();
  deeds[button.dataset.do]();
});

const barbox = document.getElementById('barbox');
const bar = barbox && new Bar(barbox);
// Without a pointer that hovers, a tap brings a bar that comes on approach.
if (body.classList.contains('approach')) {
  pages.addEventListener('click', () => body.classList.toggle('tapped'));
}

document.addEventListener('selectionchange', () => pages.classList.toggle('selects', !getSelection().isCollapsed));

// Where finding is not given, the browser's own search finds the text of all pages. It
// is begun by a key, or in a menu, which takes the focus, or on a phone.
let native; // what it takes, asked for once
const ownSearch = () => near.copying && !tool('find') && (native ??= away.part('native')).then(({ searchable }) => searchable(reader));
if (sheets.length <= 200) {
  addEventListener('blur', ownSearch);
  if (matchMedia('(pointer: coarse)').matches) pages.addEventListener('pointerdown', ownSearch, { once: true });
}

const single = { on: true }; // whether single letters do something (WCAG 2.2, 2.1.4)
const letters = { '/': 'find', c: 'contents', o: 'overview', t: 'text', r: 'rotate' };
document.addEventListener('keydown', (event) => {
  if ((event.ctrlKey || event.metaKey) && event.key === 'f' && tool('find')) {
    event.preventDefault();
    return void side.show('find');
  }
  if (event.key === 'F3' || (event.ctrlKey || event.metaKey) && event.key === 'f') ownSearch();
  if (event.altKey || event.ctrlKey || event.metaKey || /^(INPUT|SELECT|TEXTAREA)$/.test(event.target.tagName)) return;
  if (event.key === '?' && !document.querySelector('dialog')) return void keys();
  const letter = single.on && letters[event.key];
  if (letter && tool(letter)) {
    event.preventDefault();
    return void deeds[letter]();
  }
  if (event.key === 'Escape' && text?.isOpen && !event.target.closest('.side')) return void text.close();
  if (event.target.closest('.side, .flowing')) return;
  // A panel that was opened by a key closes by one, wherever the focus is by then.
  if (event.key === 'Escape' && side.open) return void side.close();
  if (event.key === 'Escape') told('leave');
  const on = flow.backward ? -1 : 1;
  const scrolls = !flow.sideways;
  // Where pages scroll, these keys move by what is seen, which the browser does by
  // itself once the pages have the focus.
  const target = /** @type {Node} */ (event.target);
  const inPages = pages.contains(target);
  const share = scrolls && keysTurn && !inPages && !edgeElement?.contains(target)
    && { PageUp: -0.9, PageDown: 0.9, ...event.target === body &&
      { ' ': event.shiftKey ? -0.9 : 0.9, ArrowUp: -0.1, ArrowDown: 0.1 } }[event.key];
  if (share) {
    event.preventDefault();
    if (event.target === body) pages.focus({ preventScroll: true });
    return void pages.scrollBy({ top: share * pages.clientHeight, behavior: 'instant' });
  }
  const by = { ArrowLeft: -on, ArrowRight: on, ...scrolls ? {} : { PageUp: -1, PageDown: 1 } }[event.key];
  const end = { Home: 1, End: sheets.length }[event.key];
  const wide = !flow.sideways && pages.scrollWidth > pages.clientWidth + 1;
  if (by && keysTurn && !edgeElement?.contains(target) && !(wide && event.key.startsWith('Arrow'))) {
    event.preventDefault();
    turn(by);
  } else if (end && keysTurn) {
    event.preventDefault();
    go(end);
  } else if (tool('larger') && (event.key === '+' || event.key === '=')) zoom.larger();
  else if (tool('smaller') && event.key === '-') zoom.smaller();
  else if (tool('sizes') && event.key === '0') zoom.at(null);
});

// "?" lists the keys that do something here.
const keys = async () => (await away.part('keys')).keys([
  keysTurn && [flow.sideways ? '← → Page Up, Page Down' : '← →', 'key_turn'], keysTurn && !flow.sideways &&
    ['Page Up, Page Down', 'key_screen'], keysTurn && ['Home, End', 'key_ends'],
  tool('larger') && ['+ −', 'key_zoom'], tool('sizes') && ['0', 'key_opening'],
  ...Object.entries(letters).map(([key, name]) => tool(name) && [key, name]),
  bar && ['Tab, ← →', 'key_tools'], ['Esc', 'key_close'],
].filter(Boolean), single);

// Start. The pages are laid out first, in a task of their own.
await pause();
const away = reader.away = new Away(reader);
const near = new Near(flow, { base, mark, copying: 'copying' in body.dataset,
  opens: 'locked' in body.dataset ? away.part('lock').then(({ unlock }) => unlock(reader, view)) : null,
    widths: body.dataset.ladder.split(' ').map(Number) }, {
  came: (sheet) => { for (const f of reader.came) f(sheet); },
  away: (sheet) => { told('error', { reason: 'page', page: +sheet.dataset.page }); away.missed(sheet); },
  late: () => away.part('images').then(({ images }) => images(reader, tool('text') && deeds.text)),
});
reader.near = near;
if (near.copying) away.part('take').then(({ taking }) => taking(reader));
if (body.dataset.pointer === 'drag') dragging();

/** Goes where the address leads. */
async function follow() {
  const { follow: to, placeOf } = await away.part('address');
  await to(reader, placeOf(location.hash, sheets.length));
}

tell(1);
const opening = Number(body.dataset.open);
const [how] = performance.getEntriesByType('navigation');
if (history.state?.place && how?.type !== 'navigate') placeAt(history.state.place);
else {
  if (opening > 1) go(opening, false);
  if (location.hash) follow();
}
showZoom();
addEventListener('hashchange', () => { if (!history.state?.place) follow(); });
addEventListener('resize', () => near.loosen());
new ResizeObserver(() => {
  stood = size();
  if (!waiting && (held.row > 0 || held.share > 0)) flow.back(held);
  // The place is kept at once; what else follows has a task of its own.
  setTimeout(() => {
    showZoom();
    sharpen();
    edge?.show(current);
    near.resize();
    near.soon();
  });
}).observe(pages);
// On a narrow frame with type too small to read, the text view is offered.
if (innerWidth < Number(body.dataset.offers ?? 0)) {
  near.then(() => text?.isOpen || reader.notice('small', say('text_offer'), press('main', say('text_read'), asText)));
}
body.dataset.ready = '';
if ('aloud' in body.dataset) near.then(() => import('./aloud.js').then(({ aloud }) => aloud(reader), () => {}));
  // without the server it is not there
if (parent !== window) away.part('framed').then(({ framed }) => framed(reader, told));
