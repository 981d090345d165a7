// The toolbar: tools that do not fit move behind "More", at the widths that the
// server wrote; one stop for the keyboard, arrows move inside it (WAI-ARIA
// toolbar).

export class Bar {
  constructor(box) {
    this.bar = box.querySelector('.bar');
    this.more = box.querySelector('#more');
    this.others = box.querySelector('#others');
    this.tools = [...this.bar.querySelectorAll('.t')];
    new ResizeObserver(([entry]) => this.fit(entry.contentRect.width)).observe(box);
    this.more.addEventListener('click', () => this.open(this.others.hidden));
    this.others.addEventListener('keydown', (event) => {
      if (event.key !== 'Escape') return;
      event.stopPropagation();
      this.open(false);
      this.more.focus();
    });
    document.addEventListener('pointerdown', (event) => {
      if (!box.contains(event.target)) this.open(false);
    });
    for (const part of [this.bar, this.others]) {
      part.addEventListener('focusin', (event) => this.stopAt(event.target));
      part.addEventListener('keydown', (event) => this.key(event));
    }
  }

  fit(width) {
    const held = document.activeElement;
    for (const t of this.tools) {
      const home = width >= Number(t.dataset.from) ? this.bar : this.others;
      if (t.parentElement === home) continue;
      // In their own order, "More" last.
      const next = this.tools.slice(this.tools.indexOf(t) + 1).find((o) => o.parentElement === home);
      home.insertBefore(t, next ?? (home === this.bar ? this.more : null));
    }
    if (!this.others.firstElementChild) this.open(false);
    if (held && held !== document.activeElement) (this.others.contains(held) ? this.more : held).focus();
    if (!this.stops.some((s) => s.tabIndex === 0)) this.stopAt(this.stops[0]);
  }

  open(yes) {
    this.others.hidden = !yes;
    this.more.setAttribute('aria-expanded', String(yes));
    if (yes) this.others.querySelector('button, a, input').focus();
  }

  get stops() {
    const inBar = [...this.bar.querySelectorAll('button, a, input')].filter((s) => s !== this.more || this.others.firstElementChild);
    return this.others.hidden ? inBar : [...inBar, ...this.others.querySelectorAll('button, a, input')];
  }

  stopAt(element) {
    for (const s of this.bar.parentElement.querySelectorAll('button, a, input')) s.tabIndex = s === element ? 0 : -1;
  }

  key(event) {
    const { stops } = this;
    const at = stops.indexOf(document.activeElement);
    const typing = event.target.tagName === 'INPUT' && event.target.selectionStart !== event.target.selectionEnd;
    const to = { ArrowLeft: at - 1, ArrowRight: at + 1, Home: 0, End: stops.length - 1 }[event.key];
    if (at < 0 || to === undefined || typing) return;
    event.preventDefault();
    event.stopPropagation();
    stops[(to + stops.length) % stops.length].focus();
  }
}
