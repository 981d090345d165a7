import { say } from './words.js';

// The fore-edge: a line a page. Drag or press it to move; to assistive
// technology it is a slider.

export class Edge {
  constructor(element, sheets, go) {
    Object.assign(this, { element, sheets, go, page: 1 });
    this.here = document.createElement('div');
    this.here.className = 'here';
    this.here.tabIndex = 0;
    this.here.setAttribute('role', 'slider');
    this.here.setAttribute('aria-label', say('pages'));
    this.here.setAttribute('aria-orientation', 'vertical');
    this.here.setAttribute('aria-valuemin', '1');
    this.here.setAttribute('aria-valuemax', String(sheets.length));
    element.append(this.here);
    this.peek = document.createElement('div');
    this.peek.className = 'peek';
    this.peek.hidden = true;
    element.append(this.peek);
    this.chapters = [...element.querySelectorAll('a[data-name]')].map((a) => [Number(a.getAttribute('href').slice(2)), a.dataset.name]);
    element.addEventListener('pointerdown', (e) => {
      if (e.button !== 0) return;
      e.preventDefault();
      element.setPointerCapture(e.pointerId);
      this.dragging = true;
      this.go(this.at(e), false);
    });
    element.addEventListener('pointermove', (e) => {
      this.hint(e);
      if (this.dragging) this.go(this.at(e), false);
    });
    for (const end of ['pointerup', 'pointercancel']) {
      element.addEventListener(end, () => {
        if (this.dragging) this.go(this.page);
        this.dragging = false;
      });
    }
    element.addEventListener('pointerleave', () => { this.peek.hidden = true; });
    this.here.addEventListener('keydown', (e) => {
      const by = { ArrowUp: -1, ArrowLeft: -1, ArrowDown: 1, ArrowRight: 1, PageUp: -10, PageDown: 10 }[e.key];
      const to = { Home: 1, End: sheets.length }[e.key] ?? (by && this.page + by);
      if (!to) return;
      e.preventDefault();
      e.stopPropagation();
      this.go(to);
    });
  }

  at(event) {
    const box = this.element.getBoundingClientRect();
    const part = (event.clientY - box.top - 8) / (box.height - 16);
    return Math.min(Math.max(Math.floor(part * this.sheets.length) + 1, 1), this.sheets.length);
  }

  hint(event) {
    const page = this.at(event);
    const chapter = this.chapters.findLast(([first]) => first <= page)?.[1];
    this.peek.textContent = chapter ? `${page} · ${chapter}` : say('page', { n: page });
    this.peek.style.top = `${event.clientY - this.element.getBoundingClientRect().top}px`;
    this.peek.hidden = false;
  }

  show(page) {
    this.page = page;
    this.here.style.top = `calc(8px + (100% - 16px) * ${(page - 0.5) / this.sheets.length})`;
    this.here.setAttribute('aria-valuenow', String(page));
    this.here.setAttribute('aria-valuetext', this.sheets[page - 1].getAttribute('aria-label'));
  }
}
