import { say, make, boxes as draw, press, pause } from './make.js';

// Finding words: as they are typed, the first hits and then all. Hits are
// listed, marked on the pages and on the fore-edge.

export function fill(panel, reader) {
  const words = make('input', { type: 'search', id: 'words-find', autocomplete: 'off', spellcheck: 'false', maxlength: 120,
    'aria-label': say('find_words'), placeholder: say('find_words') });
  const option = (name) => {
    const box = make('input', { type: 'checkbox', onchange: () => look() });
    return [box, make('label', { class: 'option' }, box, say(name))];
  };
  const [whole, wholeLabel] = option('find_whole');
  const [exact, exactLabel] = option('find_exact');
  const step = (name, sign, by) => press('tool', sign, () => move(by), { 'aria-label': say(name), title: say(name) });
  const count = make('p', { class: 'count', role: 'status' });
  const list = make('ol', { class: 'hitlist', lang: reader.pages.lang });
  const more = press('plain', say('find_more'), () => further(), { hidden: true });
  panel.append(make('form', { role: 'search', onsubmit: (e) => e.preventDefault() },
    make('div', { class: 'ask' }, words, step('find_back', '↑', -1), step('find_on', '↓', 1)),
      make('div', { class: 'options' }, wholeLabel, exactLabel)), count, list, more);

  let found = null; // the last whole answer
  let drawn = []; // what the lines of the list were made of
  let asked = ''; // the query of what is shown
  let at = null; // { page, nth } of the current hit
  let lit = null; // the one that is marked as such
  let turn = 0;
  let stepped = false; // a step of history was made for these words
  let typing = 0;
  const boxes = new Map(); // page → promise of its boxes

  const query = () => new URLSearchParams({ q: words.value, ...(whole.checked && { whole: '1' }),
    ...(exact.checked && { exact: '1' }) }).toString();
  const get = (what, rest = '') => fetch(`${reader.base}/${what}?${asked}${rest}`).then((a) => (a.ok ? a.json() : null)).catch(() => null);
  const ask = (rest) => get(`find/${reader.mark}`, rest);

  async function look() {
    const mine = ++turn;
    asked = query();
    boxes.clear();
    at = lit = null;
    stepped = false;
    for (const old of reader.pages.querySelectorAll('.hits')) old.remove();
    if (!words.value.trim()) {
      found = null;
      tell();
      return;
    }
    for (const extra of ['&quick=1', '']) {
      const answer = await ask(extra);
      if (mine !== turn) return;
      found = answer;
      if (found?.words) whole.checked = whole.disabled = true; // more is not found here
      // Slow devices draw the list before they move the pages.
      await tell();
      if (mine !== turn) return;
      if (extra && found?.list.length) first();
      if (answer?.whole) break;
    }
  }

  /** The first hit on the page that is read or behind it. */
  function first() {
    const page = found.pages.find((p) => p.page >= reader.page) ?? found.pages[0];
    for (const s of reader.near.near) marked(s);
    current({ page: page.page, nth: 0 }, false);
  }

  /** Lines that stay are kept; slow devices draw others in parts. */
  async function tell() {
    more.hidden = true;
    if (!found) count.textContent = words.value.trim() && say('find_failed');
    else if (!found.hits) count.textContent = say(found.indexed < reader.sheets.length ? 'find_reading' : 'find_none',
      { n: found.indexed, all: reader.sheets.length });
    else count.textContent = say(found.whole ? 'find_count' : found.indexed < reader.sheets.length ? 'find_so_far' : 'find_counting',
      { n: found.hits, pages: found.pages.length, done: found.indexed, all: reader.sheets.length });
    if (found?.unread) count.textContent += `. ${found.unread}`;
    reader.edge?.mark((found?.pages ?? []).map((p) => p.page));
    const all = found?.list ?? [];
    const now = all.map((hit) => JSON.stringify(hit));
    let n = 0;
    while (list.children[n] && drawn[n] === now[n]) n += 1;
    while (list.children[n]) list.lastChild.remove();
    drawn = now;
    const mine = turn;
    do {
      list.append(...all.slice(n, n += 12).map(line));
      await pause();
      if (mine !== turn) return;
    } while (n < all.length);
    more.hidden = !found?.whole || all.length >= found.hits;
  }

  function line({ page, nth, quote }) {
    const link = make('a', { href: `#page=${page}`, 'data-nth': nth });
    // As the page entry takes it: by its label, where the file has such.
    link.append(make('span', { class: 'where' }, reader.labelOf(page)));
    if (quote) link.append(make('bdi', {}, quote.before, make('mark', {}, quote.match), quote.after));
    else link.append(say('page', { n: page }));
    link.addEventListener('click', (event) => {
      event.preventDefault();
      current({ page, nth });
      reader.side.makeWay();
    });
    return make('li', {}, link);
  }

  async function further() {
    const next = await ask(`&skip=${found.list.length}`);
    found.list.push(...(next?.list ?? []));
    tell();
  }

  function move(by) {
    if (!found?.hits) return;
    if (!at) return void first();
    let { page, nth } = at;
    const i = found.pages.findIndex((p) => p.page === page);
    nth += by;
    let j = i;
    if (nth < 0 || nth >= found.pages[i].count) {
      j = (i + by + found.pages.length) % found.pages.length;
      nth = by > 0 ? 0 : found.pages[j].count - 1;
    }
    page = found.pages[j].page;
    current({ page, nth });
  }

  const boxesOf = (page) => {
    if (!boxes.has(page)) boxes.set(page, get(`hits/${reader.mark}/${page}`).then((all) => all ?? []));
    return boxes.get(page);
  };

  /** Draws the hits of a page that is near. */
  async function marked(sheet) {
    const page = Number(sheet.dataset.page);
    if (!found?.pages.some((p) => p.page === page)) return;
    const mine = asked;
    const all = await boxesOf(page);
    if (mine !== asked) return;
    sheet.querySelector('.hits')?.remove();
    draw(sheet, 'hits', all.flatMap((rects, nth) => rects.map((r) => (at?.page === page && at.nth === nth ? { ...r, class: 'now' } : r))));
  }

  async function current(hit, go = true) {
    at = hit;
    const sheet = reader.sheets[hit.page - 1];
    const all = await boxesOf(hit.page);
    if (at !== hit) return;
    const there = () => reader.show(hit.page, all[hit.nth]?.[0]);
    if (go) {
      reader.step(there, stepped);
      stepped = true;
    } else there();
    await pause();
    if (at !== hit) return;
    if (lit && lit.page !== hit.page) marked(reader.sheets[lit.page - 1]);
    lit = hit;
    marked(sheet);
    list.querySelector('[aria-current]')?.removeAttribute('aria-current');
    const link = list.querySelector(`a[href="#page=${hit.page}"][data-nth="${hit.nth}"]`);
    link?.setAttribute('aria-current', 'true');
    link?.scrollIntoView({ block: 'nearest' });
    if (go) reader.said.textContent = say('find_at', { n: found.pages.reduce((n, p) => (p.page < hit.page ? n + p.count : n), hit.nth + 1),
      all: found.hits, page: hit.page });
  }

  words.addEventListener('input', () => {
    clearTimeout(typing);
    typing = setTimeout(look, 120);
  });
  words.addEventListener('keydown', (event) => {
    if (event.key !== 'Enter') return;
    event.preventDefault();
    if (asked !== query()) look();
    else move(event.shiftKey ? -1 : 1);
  });
  reader.came.add(marked);
  return {
    opened() { words.focus(); words.select(); },
    /** Looks for words that an address names. */
    look(text) {
      words.value = text;
      return look();
    },
  };
}
