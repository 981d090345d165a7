import { say } from './words.js';

// What is near the reader's eyes: page images and the layers over them come
// when a page comes near, and go when it is far, so that a long document costs
// no more than a short one.

const keep = 12; // pages on each side that keep what they have

export class Near {
  /** root scrolls the sheets; address says where their images lie. */
  constructor(root, sheets, { base, mark, widths }) {
    Object.assign(this, { root, sheets, base, mark, widths, layers: new Map() });
    this.observer = new IntersectionObserver((entries) => this.seen(entries), { root, rootMargin: '100%' });
    for (const s of sheets) {
      this.observer.observe(s);
      // Images that came with the page may fail too, or have failed already.
      const img = s.querySelector(':scope > img');
      if (!img) continue;
      if (img.complete && img.naturalWidth === 0 && img.loading !== 'lazy') this.missing(s, img);
      else img.addEventListener('error', () => this.missing(s, img), { once: true });
    }
  }

  seen(entries) {
    for (const { target, isIntersecting } of entries) {
      if (isIntersecting) {
        this.image(target);
        this.layer(target);
      }
    }
    const inside = entries.filter((e) => e.isIntersecting).map((e) => Number(e.target.dataset.page));
    if (inside.length) this.forget(Math.min(...inside), Math.max(...inside));
  }

  image(sheet) {
    if (sheet.querySelector(':scope > img')) return;
    const page = sheet.dataset.page;
    const img = new Image();
    img.alt = '';
    img.decoding = 'async';
    img.sizes = this.size(sheet);
    img.srcset = this.widths.map((w) => `${this.base}/page/${this.mark}/${page}/${w} ${w}w`).join(', ');
    img.addEventListener('error', () => this.missing(sheet, img), { once: true });
    sheet.prepend(img);
  }

  missing(sheet, img) {
    img.remove();
    sheet.classList.add('missing');
    sheet.dataset.note = say('not_arrived', { n: sheet.dataset.page });
    const retry = document.createElement('button');
    retry.type = 'button';
    retry.className = 'retry';
    retry.textContent = say('again');
    retry.addEventListener('click', () => {
      retry.remove();
      sheet.classList.remove('missing');
      this.image(sheet);
    });
    sheet.append(retry);
  }

  async layer(sheet) {
    const page = sheet.dataset.page;
    if (this.layers.has(page)) return;
    this.layers.set(page, null);
    try {
      const answer = await fetch(`${this.base}/layer/${this.mark}/${page}`);
      if (!answer.ok) throw new Error(answer.status);
      const svg = new DOMParser().parseFromString(await answer.text(), 'image/svg+xml').documentElement;
      if (!this.layers.has(page)) return;
      for (const link of svg.querySelectorAll('a[data-page]')) link.setAttribute('aria-label', say('go_to', { n: link.dataset.page }));
      sheet.append(document.importNode(svg, true));
    } catch {
      // The page can still be seen; the layer is asked for when it is near again.
      this.layers.delete(page);
    }
  }

  forget(first, last) {
    for (const page of [...this.layers.keys()]) {
      const n = Number(page);
      if (n >= first - keep && n <= last + keep) continue;
      const sheet = this.sheets[n - 1];
      sheet.querySelector('.layer')?.remove();
      sheet.querySelector(':scope > img')?.remove();
      this.layers.delete(page);
    }
  }

  size(sheet) {
    return `${Math.ceil(sheet.getBoundingClientRect().width)}px`;
  }

  /** After a change of scale the browser picks images anew. */
  resize() {
    const near = this.root.querySelectorAll('.sheet > img');
    const sizes = [...near].map((img) => this.size(img.parentElement));
    for (const [i, img] of near.entries()) img.sizes = sizes[i];
  }
}
