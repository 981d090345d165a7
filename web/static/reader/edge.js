import { say, make } from './make.js';

// The fore-edge: a line a page. Drag or press it to move; a small page stands
// beside the pointer; to assistive technology it is a slider. On a narrow frame
// it lies below the pages.

export class Edge {
  constructor(element, sheets, address, go) {
    this.element = element;
    this.sheets = sheets;
    this.address = address;
    this.go = go;
    this.page = 1;
    this.marks = [];
    this.here = make('div', { class: 'here', tabindex: 0, role: 'slider', 'aria-label': say('pages'), 'aria-valuemin': 1,
      'aria-valuemax': sheets.length });
    this.peek = make('div', { class: 'peek' });
    this.dots = make('div', { class: 'dots', 'aria-hidden': true });
    element.append(this.dots, this.here);
    this.chapters = [...element.querySelectorAll('.ticks:not(.lying) a[data-name]')].map((a) => [Number(a.getAttribute('href').slice(2)),
      a.dataset.name]);
    element.addEventListener('pointerdown', (e) => {
      if (e.button !== 0) return;
      e.preventDefault();
      element.setPointerCapture(e.pointerId);
      this.dragging = true;
      this.hint(e);
      this.go(this.at(e), false);
    });
    element.addEventListener('pointermove', (e) => {
      this.hint(e);
      if (this.dragging) this.go(this.at(e), false);
    });
    for (const end of ['pointerup', 'pointercancel']) {
      element.addEventListener(end, (e) => {
        if (this.dragging) this.go(this.page);
        this.dragging = false;
        if (e.pointerType === 'touch') this.peek.hidden = true;
      });
    }
    element.addEventListener('pointerleave', () => { this.peek.hidden = true; });
    this.here.addEventListener('keydown', (e) => {
      const on = this.lies && document.body.classList.contains('turns-left') ? -1 : 1;
      const by = { ArrowUp: -1, ArrowLeft: -on, ArrowDown: 1, ArrowRight: on, PageUp: -10, PageDown: 10 }[e.key];
      const to = { Home: 1, End: sheets.length }[e.key] ?? (by && this.page + by);
      if (!to) return;
      e.preventDefault();
      e.stopPropagation();
      this.go(to);
    });
  }

  get lies() { return this.element.clientWidth > this.element.clientHeight; }

  at(event) {
    const box = this.element.getBoundingClientRect();
    let part = this.lies ? (event.clientX - box.left - 8) / (box.width - 16) : (event.clientY - box.top - 8) / (box.height - 16);
    if (this.lies && document.body.classList.contains('turns-left')) part = 1 - part;
    return Math.min(Math.max(Math.floor(part * this.sheets.length) + 1, 1), this.sheets.length);
  }

  hint(event) {
    const page = this.at(event);
    if (this.shown !== page) {
      this.shown = page;
      const sheet = this.sheets[page - 1];
      const chapter = this.chapters.findLast(([first]) => first <= page)?.[1];
      const name = sheet.dataset.label ?? say('page', { n: page });
      const small = make('img', { alt: '', decoding: 'async' });
      const { width, height } = sheet.getBoundingClientRect();
      small.style.aspectRatio = `${width} / ${height}`;
      // Another small page comes; nothing of the last one moves.
      this.peek.replaceChildren(small, make('span', {}, chapter ? `${name} · ${chapter}` : name));
      this.element.append(this.peek);
      // A pointer that passes by asks for nothing.
      clearTimeout(this.wait);
      this.wait = setTimeout(() => { this.address(small, page); }, 60);
    }
    const box = this.element.getBoundingClientRect();
    this.peek.hidden = false;
    const along = (at, whole, half) => `${Math.min(Math.max(at, half + 4), whole - half - 4)}px`;
    this.peek.style.translate = this.lies ? along(event.clientX - box.left, box.width, this.peek.offsetWidth / 2) :
      `0 ${along(event.clientY - box.top, box.height, this.peek.offsetHeight / 2)}`;
  }

  part(page) { return (page - 0.5) / this.sheets.length; }

  show(page) {
    this.page = page;
    const { lies } = this; // measured first: nothing is laid out twice
    this.here.style.setProperty('--at', this.part(page));
    this.here.setAttribute('aria-orientation', lies ? 'horizontal' : 'vertical');
    this.here.setAttribute('aria-valuenow', String(page));
    this.here.setAttribute('aria-valuetext', this.sheets[page - 1].getAttribute('aria-label'));
  }

  /** A red dot where hits lie; many on one spot are one. */
  mark(pages) {
    const spots = new Set(pages.map((p) => Math.round(this.part(p) * 200) / 200));
    this.dots.replaceChildren(...[...spots].map((at) => {
      const dot = make('i');
      dot.style.setProperty('--at', at);
      return dot;
    }));
  }
}
