// The ruler of web-page widths above the stage. Drag it, or move its slider
// with the arrow keys, to show the web page at another width.
import { el } from './svg.js';
import { slide } from './slide.js';

export class Ruler {
  /** to(width) is called while it is dragged. */
  constructor(root, to) {
    this.root = root;
    this.from = Number(root.dataset.from);
    this.upTo = Number(root.dataset.to);
    this.svg = el('svg', { width: '100%', height: '44' });
    this.pointer = slide(root, this.svg, 'Width of the web page', (x) => to(Math.round(this.width(x) / 5) * 5), (by) => to(this.now + by));
  }

  x(width) { return 8 + ((Math.min(width, this.upTo) - this.from) / (this.upTo - this.from)) * (this.room - 16); }

  width(x) { return Math.min(Math.max(this.from + ((x - 8) / (this.room - 16)) * (this.upTo - this.from), this.from), this.upTo); }

  draw({ page, name }, screens) {
    this.now = page;
    this.room = this.root.clientWidth;
    const parts = [];
    for (let w = Math.ceil(this.from / 40) * 40; w <= this.upTo; w += 40) {
      const long = w % 320 === 0;
      parts.push(el('line', { class: 'tick', x1: this.x(w), x2: this.x(w), y1: long ? 34 : 38, y2: 44 }));
      if (long) parts.push(el('text', { class: 'number', x: this.x(w), y: 12, 'text-anchor': 'middle' }, String(w)));
    }
    const shown = screens.some((m) => m.screen.page === page);
    for (const m of screens) {
      const here = m.screen.page === page;
      // The last label stands before its mark: behind it there is no room.
      const last = this.x(m.screen.page) > this.room - 110;
      const label = el('text', { x: this.x(m.screen.page) + (last ? -8 : 8), y: 30, 'text-anchor': last ? 'end' : 'start',
        class: here ? 'mark here' : 'mark' }, `${m.screen.name} ${m.screen.page}`);
      // Where there is no room, the window's own field says where it is.
      if (this.room < (here ? 260 : 420)) label.textContent = '';
      parts.push(el('path', { class: `sign ${m.worst.level}${here ? ' here' : ''}`,
        d: `M${this.x(m.screen.page) - 5} 24h10l-5 8z` }), label);
    }
    const at = this.x(page);
    parts.push(el('line', { class: 'cursor', x1: at, x2: at, y1: shown ? 32 : 16, y2: 44 }));
    this.svg.replaceChildren(...parts);
    this.pointer({ at, now: Math.round(page), low: this.from, high: this.upTo,
      words: `${Math.round(page)} px${shown ? `, a ${name}` : ''}` });
  }
}
