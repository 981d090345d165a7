// The curve under the stage: how large text lands, as a visual angle, over the
// width of the column. Drag along it to change the width.
import { el } from './svg.js';
import { slide } from './slide.js';

const top = 0.28; // degrees at the upper end: what is above is comfortable anyway
const foot = 18;

export class Curve {
  constructor(root, to) {
    this.root = root;
    this.from = Number(root.dataset.from);
    this.upTo = Number(root.dataset.to);
    this.bands = root.dataset.bands.split(';').filter(Boolean).map((b) => b.split('=')).map(([name, from]) =>
      ({ name, from: Number(from) }));
    this.svg = el('svg', { width: '100%', height: '100%' });
    this.pointer = slide(root, this.svg, 'Width of the column', (x) => to(Math.round(this.column(x) / 4) * 4), (by) => to(this.now + by));
  }

  x(column) { return 1 + ((Math.min(Math.max(column, this.from), this.upTo) - this.from) / (this.upTo - this.from)) * (this.room - 2); }

  column(x) { return Math.min(Math.max(this.from + ((x - 1) / (this.room - 2)) * (this.upTo - this.from), this.from), this.upTo); }

  y(angle) { return 4 + (1 - Math.min(angle, top) / top) * (this.height - foot - 4); }

  draw({ screen, curve, screens, view }) {
    this.now = screen.column;
    this.room = this.root.clientWidth;
    this.height = this.root.clientHeight;
    const parts = [];
    for (const [i, b] of this.bands.entries()) {
      const upper = this.y(this.bands[i + 1]?.from ?? top);
      parts.push(el('rect', { class: `band b${i}`, x: 1, y: upper, width: this.room - 2, height: this.y(b.from) - upper }));
    }
    const path = (key) => curve.map((p, i) => `${i ? 'L' : 'M'}${this.x(p.column).toFixed(1)} ${this.y(p[key]).toFixed(1)}`).join('');
    if (curve.length) parts.push(el('path', { class: 'small', d: path('smallest') }), el('path', { class: 'body', d: path('body') }));
    else parts.push(el('text', { class: 'name', x: this.room / 2, y: this.height / 2 - 8, 'text-anchor': 'middle' },
      'There is no measured type to draw.'));
    parts.push(...this.names(curve, this.x(screen.column)));
    for (const m of screens) {
      if (!m.typed || m.screen.column > this.upTo) continue;
      parts.push(el('circle', { class: `dot ${m.worst.level}`, cx: this.x(m.screen.column), cy: this.y(m.body.angle), r: 4 }));
    }
    const at = this.x(screen.column);
    parts.push(el('line', { class: 'cursor', x1: at, x2: at, y1: 4, y2: this.height - foot }));
    if (view.typed) parts.push(el('circle', { class: 'dot here', cx: at, cy: this.y(view.body.angle), r: 5 }));
    parts.push(el('text', { class: 'foot', x: 1, y: this.height - 4 }, `${this.from} px`),
      el('text', { class: 'foot', x: this.room - 1, y: this.height - 4, 'text-anchor': 'end' }, `${this.upTo} px`));
    const near = at < 70 || at > this.room - 70;
    if (!near) parts.push(el('text', { class: 'foot here', x: at, y: this.height - 4, 'text-anchor': 'middle' },
      `${Math.round(screen.column)} px`));
    this.svg.replaceChildren(...parts);
    this.pointer({ at, now: Math.round(screen.column), low: this.from, high: this.upTo,
      words: `${Math.round(screen.column)} px${view.typed ? `, body text ${view.body.band}` : ''}` });
  }

  /** Every band is named, where neither the lines nor the cursor run if there is such a
      place. */
  names(curve, at) {
    const out = [];
    const wide = 84;
    const places = [this.room - 8 - wide, 8, this.room * 0.3, this.room * 0.6];
    for (const [i, b] of this.bands.entries()) {
      const upper = this.y(this.bands[i + 1]?.from ?? top);
      const lower = this.y(b.from);
      const crossed = (p) => [p.body, p.smallest].some((a) => this.y(a) > upper - 2 && this.y(a) < lower + 2);
      const free = places.find((x) => (at < x - 6 || at > x + wide + 6) &&
        !curve.some((p) => this.x(p.column) > x - 10 && this.x(p.column) < x + wide + 10 && crossed(p)));
      const x = free ?? places[0];
      const end = x === places[0];
      const size = Math.min(12, Math.max(lower - upper - 1, 8));
      out.push(el('text', { class: `name b${i}`, x: end ? x + wide : x, y: (upper + lower) / 2 + size / 3, 'font-size': size,
        'text-anchor': end ? 'end' : 'start' }, b.name));
    }
    return out;
  }
}
