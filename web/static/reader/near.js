import { say } from './words.js';
import { make } from './make.js';

// What is near the reader's eyes: page images and the layers over them come
// when a page comes near, and go when it is far, so that a long document costs
// no more than a short one.

const keepImages = 6; // pages on each side that keep their image
const keepLayers = 1; // pages on each side that keep their layer: it has many parts

export class Near {
  /** root scrolls the sheets; place says where their images lie; came(sheet) is
      told when a page comes near, away() when the server does not answer. */
  constructor(root, sheets, place, { came, away }) {
    Object.assign(this, { root, sheets, ...place, came, away, layers: new Map(), near: new Set(), query: '' });
    // What serves readers without script is not needed.
    for (const s of root.querySelectorAll('noscript')) s.remove();
    this.observer = new IntersectionObserver((entries) => this.seen(entries), { root, rootMargin: '100%' });
    this.begin(sheets);
    for (const s of sheets) {
      // Images that came with the page may fail too, or have failed already.
      const img = s.querySelector(':scope > img');
      if (!img) continue;
      if (img.complete && img.naturalWidth === 0 && img.loading !== 'lazy') this.missing(s, img);
      else img.addEventListener('error', () => this.missing(s, img), { once: true });
    }
  }

  /** Looks for what is near once the first page is there: on a slow line
      everything else can wait for it. */
  async begin(sheets) {
    this.seal = await this.opens;
    const first = this.root.querySelector('img[fetchpriority]');
    if (first && !first.complete) {
      await new Promise((done) => {
        for (const end of ['load', 'error']) first.addEventListener(end, done, { once: true });
        setTimeout(done, 5000);
      });
    }
    for (const s of sheets) this.observer.observe(s);
    document.head.append(make('link', { rel: 'stylesheet', href: document.body.dataset.fonts }));
  }

  /** Asks for a page before anything that stands around it. */
  first(sheet) {
    this.image(sheet);
    const img = sheet.querySelector(':scope > img');
    if (img && !img.complete) img.fetchPriority = 'high';
  }

  seen(entries) {
    for (const { target, isIntersecting } of entries) {
      if (isIntersecting) this.near.add(target);
      else this.near.delete(target);
      if (isIntersecting) {
        this.image(target);
        this.layer(target);
        this.came(target);
      }
    }
    if (this.near.size) this.forget();
  }

  address(page, width) { return `${this.base}/page/${this.mark}/${page}/${width}${this.query}`; }

  image(sheet) {
    if (sheet.querySelector(':scope > img') || sheet.classList.contains('missing')) return;
    const page = sheet.dataset.page;
    const img = make('img', { alt: '', decoding: 'async' });
    this.load(img, page, this.width(sheet));
    img.addEventListener('error', () => this.missing(sheet, img), { once: true });
    sheet.prepend(img);
  }

  /** Gives an image its source: a page at a width in CSS px. Of a document that
      asks for a password the bytes are fetched, with what opens it. */
  async load(img, page, width) {
    if (!this.opens) {
      img.sizes = `${Math.ceil(width)}px`;
      img.srcset = this.widths.map((w) => `${this.address(page, w)} ${w}w`).join(', ');
      return;
    }
    const wanted = this.widths.find((w) => w >= width * devicePixelRatio) ?? this.widths.at(-1);
    if (img.wide >= wanted) return;
    img.wide = wanted;
    const answer = await fetch(this.address(page, wanted), { headers: { 'Incipit-Opened': this.seal }, cache: 'no-store' }).catch(() => null);
    if (!answer?.ok) return void img.dispatchEvent(new Event('error'));
    const source = URL.createObjectURL(await answer.blob());
    img.addEventListener('load', () => URL.revokeObjectURL(source), { once: true });
    img.src = source;
  }

  missing(sheet, img) {
    img.remove();
    sheet.classList.add('missing');
    sheet.dataset.note = say('not_arrived', { n: Number(sheet.dataset.page) });
    sheet.append(make('button', { type: 'button', class: 'retry', onclick: () => this.again(sheet) }, say('again')));
    this.away(sheet);
  }

  again(sheet) {
    sheet.querySelector('.retry')?.remove();
    sheet.classList.remove('missing');
    this.image(sheet);
  }

  async layer(sheet) {
    const page = sheet.dataset.page;
    if (this.layers.has(page) || this.opens) return;
    this.layers.set(page, null);
    try {
      const answer = await fetch(`${this.base}/${this.copying ? 'layer' : 'links'}/${this.mark}/${page}`);
      if (!answer.ok) throw new Error(answer.status);
      const svg = new DOMParser().parseFromString(await answer.text(), 'image/svg+xml').documentElement;
      if (!this.layers.has(page)) return;
      for (const link of svg.querySelectorAll('a[data-page]')) link.setAttribute('aria-label', say('go_to', { n: Number(link.dataset.page) }));
      sheet.append(document.importNode(svg, true));
    } catch {
      // The page can still be seen; the layer is asked for when it is near again.
      this.layers.delete(page);
    }
  }

  forget() {
    const pages = [...this.near].map((s) => Number(s.dataset.page));
    const first = Math.min(...pages);
    const last = Math.max(...pages);
    const far = (n, keep) => n < first - keep || n > last + keep;
    for (const page of [...this.layers.keys()]) {
      const n = Number(page);
      const sheet = this.sheets[n - 1];
      if (far(n, keepLayers)) {
        sheet.querySelector('.layer')?.remove();
        this.layers.delete(page);
      }
    }
    for (const img of this.root.querySelectorAll('.sheet > img, .sheet > .hits')) {
      if (far(Number(img.parentElement.dataset.page), keepImages)) img.remove();
    }
  }

  /** How wide a page's image stands, in CSS px: a turned page is as wide as it
      looks tall. */
  width(sheet) {
    const { width, height } = sheet.getBoundingClientRect();
    return this.root.dataset.turn % 2 === 1 ? height : width;
  }

  size(sheet) { return `${Math.ceil(this.width(sheet))}px`; }

  /** After a change of scale the browser picks images anew. */
  resize() {
    const near = [...this.root.querySelectorAll('.sheet > img')];
    const sizes = near.map((img) => this.size(img.parentElement));
    for (const [i, img] of near.entries()) {
      if (this.opens) this.load(img, img.parentElement.dataset.page, parseFloat(sizes[i]));
      else img.sizes = sizes[i];
    }
  }

  /** After a change of layers every image comes anew. */
  anew(query) {
    this.query = query;
    for (const img of this.root.querySelectorAll('.sheet > img')) img.remove();
    for (const s of this.near) this.image(s);
  }
}
