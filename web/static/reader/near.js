import { say, make, pause, press } from './make.js';
import { unit } from './flow.js';

// What is near the reader's eyes: page images and the layers over them come
// when a page comes near, and go when it is far, so that a long document costs
// no more than a short one.

const keepImages = 6; // pages on each side that keep their image
const keepLayers = 1; // pages on each side that keep their layer: it has many parts
const px = (width) => `${Math.ceil(width)}px`;
const portion = 150; // letters of a layer that are laid out at a time

/** Waits until something has come, or could not, but not for ever. */
const arrived = (it, most) => new Promise((done) => {
  for (const end of ['load', 'error']) it.addEventListener(end, done, { once: true });
  setTimeout(done, most);
});

/** Takes the words out of a layer and keeps them. */
function empty(svg) {
  const words = svg.querySelector('.words');
  words.kept = [...words.children, ...words.kept ?? []];
  words.replaceChildren();
  delete svg.dataset.whole;
}

export class Near {
  /** place says where the pages' images lie; came(sheet) is told when a page
      comes near, away() when the server does not answer, late() where the first page
      has not come for long. */
  constructor(flow, { base, mark, copying, opens, widths }, { came, away, late }) {
    this.flow = flow;
    this.root = flow.pages;
    this.sheets = flow.sheets;
    this.base = base;
    this.mark = mark;
    this.copying = copying;
    this.opens = opens;
    this.widths = widths;
    this.came = came;
    this.away = away;
    this.late = late;
    this.layers = new Map();
    this.near = new Set();
    this.rows = [];
    this.leaving = new Set();
    this.query = '';
    this.filled = this.begin();
    for (const img of this.root.querySelectorAll('.sheet > img')) {
      // Images that came with the page may fail too, or have failed already.
      const s = img.parentElement;
      if (img.complete && img.naturalWidth === 0 && img.loading !== 'lazy') this.missing(s, img);
      else img.addEventListener('error', () => this.missing(s, img), { once: true });
    }
  }

  /** Looks for what is near once the first page is there: on a slow line
      everything else can wait for it. */
  async begin() {
    this.seal = await this.opens;
    const first = this.root.querySelector('img[fetchpriority]');
    if (first && !first.complete) await arrived(first, 5000);
    if (first && !first.complete) this.late();
    this.begun = true;
    this.look();
    // Layers wait for the fonts, each of which lays out all text anew; so does what
    // would shift with them.
    await new Promise((done) => {
      const ready = () => pause().then(() => document.fonts.ready).then(done);
      document.head.append(make('link', { rel: 'stylesheet', href: document.body.dataset.fonts, onload: ready, onerror: ready }));
    });
  }

  /** Asks for a page before anything that stands around it. */
  first(sheet) {
    this.image(sheet);
    const img = sheet.querySelector(':scope > img');
    if (!img || img.complete) return;
    img.fetchPriority = 'high';
    this.wait = arrived(img, 600);
  }

  /** Looks in a task of its own, once the browser has drawn. */
  soon() {
    this.looking ??= setTimeout(() => {
      this.looking = null;
      this.look();
    });
  }

  /** Sees what has come near, and what is far now. What is far is not laid out. */
  look() {
    if (!this.begun) return;
    const rows = this.flow.near();
    for (const row of this.rows) {
      if (rows.includes(row)) continue;
      this.leaving.add(unit(row));
      for (const sheet of row.children) this.near.delete(sheet);
    }
    const come = rows.filter((row) => !this.rows.includes(row));
    // What has come back before it was gone stays.
    for (const u of rows.map(unit)) {
      this.leaving.delete(u);
      u.classList.remove('far');
    }
    const sheets = come.flatMap((row) => [...row.children]);
    // All are measured before anything is put on one.
    const widths = sheets.map((s) => this.width(s));
    for (const [i, sheet] of sheets.entries()) {
      this.near.add(sheet);
      this.came(sheet);
      // What stands around a page that is asked for comes after it.
      Promise.resolve(this.wait).then(() => {
        if (!this.near.has(sheet)) return;
        this.image(sheet, widths[i]);
        this.layer(sheet);
      });
    }
    this.rows = rows;
    this.forget();
    this.leave();
  }

  /** Lays out no more what is empty. What is taken out of it later would be kept
      by the browser; so it is drawn empty once before. */
  async leave() {
    await pause();
    for (const u of this.leaving) {
      if (u.querySelector('img, svg, .missing, .aloud')) continue;
      u.classList.add('far');
      this.leaving.delete(u);
    }
  }

  path(page, width) { return `page/${this.mark}/${page}/${width}${this.query}`; }

  /** Asks for a part of the document. Where it asks for a password, what opens it
      is shown. */
  async ask(path) {
    await this.opens;
    return fetch(`${this.base}/${path}`, this.seal && { headers: { 'Incipit-Opened': this.seal }, cache: 'no-store' });
  }

  /** Gives an image its source. */
  async source(img, path) {
    if (!this.opens) {
      img.src = `${this.base}/${path}`;
      return;
    }
    const answer = await this.ask(path).catch(() => null);
    if (!answer?.ok) return void img.dispatchEvent(new Event('error'));
    const source = URL.createObjectURL(await answer.blob());
    img.addEventListener('load', () => URL.revokeObjectURL(source), { once: true });
    img.src = source;
  }

  image(sheet, width = this.width(sheet)) {
    if (sheet.querySelector(':scope > img') || sheet.classList.contains('missing')) return;
    const page = sheet.dataset.page;
    const img = make('img', { alt: '', decoding: 'async' });
    this.load(img, page, width);
    img.addEventListener('error', () => this.missing(sheet, img), { once: true });
    sheet.prepend(img);
  }

  /** Gives an image a page at a width in CSS px. */
  load(img, page, width) {
    if (!this.opens) {
      img.sizes = px(width);
      img.srcset = this.widths.map((w) => `${this.base}/${this.path(page, w)} ${w}w`).join(', ');
      return;
    }
    const wanted = this.widths.find((w) => w >= width * devicePixelRatio) ?? this.widths.at(-1);
    if (img.wide >= wanted) return;
    img.wide = wanted;
    this.source(img, this.path(page, wanted));
  }

  missing(sheet, img) {
    img.remove();
    sheet.classList.add('missing');
    sheet.dataset.note = say('not_arrived', { n: Number(sheet.dataset.page) });
    sheet.append(press('retry', say('again'), () => this.again(sheet)));
    this.away(sheet);
  }

  again(sheet) {
    sheet.querySelector('.retry')?.remove();
    sheet.classList.remove('missing');
    this.image(sheet);
  }

  async layer(sheet) {
    const page = sheet.dataset.page;
    if (this.layers.has(page)) return;
    const mine = {};
    this.layers.set(page, mine);
    const wanted = () => this.layers.get(page) === mine;
    try {
      const answer = await this.ask(`${this.copying ? 'layer' : 'links'}/${this.mark}/${page}`);
      if (!answer.ok) throw new Error(`${answer.status}`);
      // Read as part of a page and taken over whole: twice as fast as a document
      // of its own that is copied.
      const svg = document.adoptNode(new DOMParser().parseFromString(await answer.text(), 'text/html').querySelector('svg'));
      for (const link of svg.querySelectorAll('a[data-page]')) link.setAttribute('aria-label',
        say('go_to', { n: Number(link.dataset.page) }));
      for (const link of svg.querySelectorAll('a[data-beyond]')) link.setAttribute('aria-label',
        say(link.dataset.beyond === 'none' ? 'beyond_none' : 'beyond_file'));
      this.then(() => wanted() && this.fill(sheet, svg));
    } catch {
      // The page can still be seen; the layer is asked for when it is near again.
      this.layers.delete(page);
    }
  }

  /** One layer after another, and all after the fonts. */
  then(work) { this.filled = this.filled.then(work); }

  fill(sheet, svg) {
    empty(svg);
    sheet.append(svg);
    if (svg.dataset.figures && document.body.matches('.dims, .dim-dark')) import('./dim.js').then(({ keep }) => keep(sheet, svg), () => {});
    return this.pour(svg);
  }

  /** Lays out a layer's words in portions: those of a full page at once would
      hold up scrolling. */
  async pour(svg) {
    const words = svg.querySelector('.words');
    // What reads aloud reads the page's text in its structure.
    if ('aloud' in document.body.dataset) words.setAttribute('aria-hidden', 'true');
    while (words.kept.length && svg.isConnected) {
      let letters = 0;
      const end = words.kept.findIndex((t) => (letters += t.textContent.length) > portion) + 1;
      words.append(...words.kept.splice(0, end || words.kept.length));
      await pause();
    }
    svg.dataset.whole = '';
  }

  /** Takes the words out of the layers while the size of the pages changes, and
      lays them out once it rests: at each size they are laid out anew. What is
      selected stays. */
  loosen() {
    if (!document.getSelection().isCollapsed) return;
    this.root.querySelectorAll('.layer').forEach(empty);
    clearTimeout(this.resting);
    this.resting = setTimeout(() => {
      for (const svg of this.root.querySelectorAll('.layer:not([data-whole])')) this.then(() => this.pour(svg));
    }, 200);
  }

  forget() {
    const pages = [...this.near].map((s) => Number(s.dataset.page));
    const first = Math.min(...pages);
    const last = Math.max(...pages);
    const far = (n, keep) => n < first - keep || n > last + keep;
    const ends = document.getSelection();
    for (const page of [...this.layers.keys()]) {
      const n = Number(page);
      const sheet = this.sheets[n - 1];
      const layer = sheet?.querySelector('.layer');
      // What is selected is held by its ends.
      if (far(n, keepLayers) && !(layer && [ends.anchorNode, ends.focusNode].some((node) => node && layer.contains(node)))) {
        layer?.remove();
        this.layers.delete(page);
      }
    }
    for (const img of this.root.querySelectorAll('.sheet > img, .sheet > .hits, .sheet > .kept')) {
      if (far(Number(img.parentElement.dataset.page), keepImages)) img.remove();
    }
  }

  /** How wide a page's image stands, in CSS px: a turned page is as wide as it
      looks tall. */
  width(sheet) {
    const { width, height } = sheet.getBoundingClientRect();
    return this.root.dataset.turn % 2 === 1 ? height : width;
  }

  /** After a change of scale the browser picks images anew. */
  resize() {
    const near = [...this.root.querySelectorAll('.sheet > img')];
    const widths = near.map((img) => this.width(img.parentElement));
    for (const [i, img] of near.entries()) {
      if (this.opens) this.load(img, img.parentElement.dataset.page, widths[i]);
      else img.sizes = px(widths[i]);
    }
  }

  /** After a change of layers every image comes anew. */
  anew(query) {
    this.query = query;
    for (const img of this.root.querySelectorAll('.sheet > img')) img.remove();
    for (const s of this.near) this.image(s);
  }
}

// The server: when it is away it is waited for, and reading goes on when it is
// back; when there is a newer edition, it is offered.

const patience = [2000, 4000, 8000, 15000, 30000]; // ms between two tries

export class Away {
  constructor(reader) {
    this.reader = reader;
    this.tries = 0;
    this.missing = new Set();
    const look = () => document.hidden || this.look(); // a hidden one looks when it is seen
    document.addEventListener('visibilitychange', look);
    addEventListener('online', look);
    setInterval(look, 60000);
  }

  /** A page did not arrive: is it the page, or the server? */
  missed(sheet) {
    this.missing.add(sheet);
    if (!this.waiting) this.look();
  }

  /** A part of the script, when it is wanted. One that does not arrive is asked for again,
      and who waits for it is told where the server is away. */
  part(name) {
    return import(`./${name}.js`).catch(() => {
      this.waiting ?? this.look();
      return arrived(window, 4000).then(() => this.part(name));
    });
  }

  async look() {
    clearTimeout(this.waiting);
    this.waiting = null;
    let answer;
    try {
      answer = await fetch(`${this.reader.base}/edition`, { cache: 'no-store' });
      if (answer.status > 501) throw answer;
    } catch {
      this.reader.notice('away', say('server_away'));
      this.waiting = setTimeout(() => this.look(), patience[Math.min(this.tries++, 4)]);
      return;
    }
    const { near, said } = this.reader;
    this.reader.drop('away');
    if (this.tries) {
      this.tries = 0;
      said.textContent = say('server_back');
      const again = [...this.missing];
      this.missing.clear();
      for (const s of again) near.again(s);
      for (const s of near.near) near.layer(s);
    }
    if (!answer.ok) return;
    const { mark } = await answer.json();
    if (mark !== this.reader.mark) {
      this.reader.notice('newer', say('edition_newer'), press('plain', say('edition_show'), () => this.part('address').then(({ renew }) => renew(this.reader))));
    }
  }
}
