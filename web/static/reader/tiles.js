import { make } from './make.js';

// Beyond the widest page image a page is drawn of tiles: those in view alone.

export class Tiles {
  /** near tells which pages are near; ladder is the side and the widths. */
  constructor(near, ladder) {
    const [side, ...widths] = ladder;
    this.side = side;
    this.widths = widths;
    this.near = near;
    this.drawn = new Map(); // sheet → { width, box, tiles }
  }

  /** Draws what is in view at the present size. */
  draw() {
    const { near } = this;
    const room = near.root.getBoundingClientRect();
    for (const sheet of this.drawn.keys()) if (!near.near.has(sheet)) this.drop(sheet);
    for (const sheet of near.near) {
      const wanted = near.width(sheet) * devicePixelRatio;
      if (wanted <= near.widths.at(-1) * 1.05) {
        this.drop(sheet);
        continue;
      }
      const width = this.widths.find((w) => w >= wanted * 0.98) ?? this.widths.at(-1);
      this.fill(sheet, width, room);
    }
  }

  fill(sheet, width, room) {
    let at = this.drawn.get(sheet);
    if (at?.width !== width) {
      this.drop(sheet);
      at = { width, box: make('div', { class: 'tiled', 'aria-hidden': true }), tiles: new Map() };
      this.drawn.set(sheet, at);
      sheet.querySelector(':scope > img')?.after(at.box);
      if (!at.box.parentElement) sheet.prepend(at.box);
    }
    const box = sheet.getBoundingClientRect();
    const turned = Number(this.near.root.dataset.turn ?? 0);
    const [w, h] = turned % 2 ? [box.height, box.width] : [box.width, box.height];
    const height = Math.round((width * h) / w);
    // The part in view, as shares of the page as it is stored.
    /** @type {[number, number, number, number]} */
    const view = [(room.left - box.left) / box.width, (room.top - box.top) / box.height, (room.right - box.left) / box.width,
      (room.bottom - box.top) / box.height];
    const [l, t, r, b] = unturned(view, turned);
    const first = (v, all) => Math.max(Math.floor((Math.max(v, 0) * all) / this.side), 0);
    const last = (v, all) => Math.floor((Math.min(v, 1) * all - 1) / this.side);
    const wanted = new Set();
    for (let row = first(t, height); row <= last(b, height); row++) {
      for (let column = first(l, width); column <= last(r, width); column++) {
        const name = `${column}/${row}`;
        wanted.add(name);
        if (at.tiles.has(name)) continue;
        const img = make('img', { alt: '', decoding: 'async' });
        this.near.source(img, `tile/${this.near.mark}/${sheet.dataset.page}/${width}/${name}`);
        const share = (v, all) => `${(100 * v) / all}%`;
        img.style.cssText = `left: ${share(column * this.side, width)}; top: ${share(row * this.side, height)}; width: ${share(Math.min(this.side, width - column * this.side), width)}; height: ${share(Math.min(this.side, height - row * this.side), height)}`;
        // A tile that does not come leaves the coarser image in view.
        img.addEventListener('error', () => { img.remove(); at.tiles.delete(name); }, { once: true });
        at.tiles.set(name, img);
        at.box.append(img);
      }
    }
    if (at.tiles.size > 120) {
      for (const [name, img] of at.tiles) {
        if (wanted.has(name)) continue;
        img.remove();
        at.tiles.delete(name);
      }
    }
  }

  drop(sheet) {
    this.drawn.get(sheet)?.box.remove();
    this.drawn.delete(sheet);
  }
}

/** A rectangle of shares of a turned page, as shares of the page unturned. */
function unturned([l, t, r, b], quarters) {
  switch (quarters) {
    case 1: return [t, 1 - r, b, 1 - l];
    case 2: return [1 - r, 1 - b, 1 - l, 1 - t];
    case 3: return [1 - b, l, 1 - t, r];
    default: return [l, t, r, b];
  }
}
