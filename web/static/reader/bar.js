import { say, make, press, shut, pause } from './make.js';

// The toolbar: tools that do not fit move behind "More", at the widths that the
// server wrote; one stop for the keyboard, arrows move inside it (WAI-ARIA
// toolbar).

// To which side it is written: 1 is to the right.
const side = () => (document.dir === 'rtl' ? -1 : 1);

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
    const narrow = innerWidth < Number(this.bar.dataset.below ?? 0);
    for (const t of this.tools) {
      const from = narrow ? t.dataset.narrow ?? t.dataset.from : t.dataset.from;
      t.hidden = from === '';
      const home = t.hidden || width >= Number(from) ? this.bar : this.others;
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
    // As they stand: some stand the other way round where pages turn from the right.
    const from = (s) => side() * s.getBoundingClientRect().left;
    const inBar = [...this.bar.querySelectorAll('button, a, input')].filter((s) => s.checkVisibility() &&
      (s !== this.more || this.others.firstElementChild)).sort((a, b) => from(a) - from(b));
    return this.others.hidden ? inBar : [...inBar, ...this.others.querySelectorAll('button, a, input')];
  }

  stopAt(element) {
    for (const s of this.bar.parentElement.querySelectorAll('button, a, input')) s.tabIndex = s === element ? 0 : -1;
  }

  key(event) {
    const { stops } = this;
    const at = stops.indexOf(document.activeElement);
    const typing = event.target.tagName === 'INPUT' && event.target.selectionStart !== event.target.selectionEnd;
    const to = { ArrowLeft: at - side(), ArrowRight: at + side(), Home: 0, End: stops.length - 1 }[event.key];
    if (at < 0 || to === undefined || typing) return;
    event.preventDefault();
    event.stopPropagation();
    stops[(to + stops.length) % stops.length].focus();
  }
}

// The side panel: one at a time, beside the pages or, on a narrow frame, over
// them. It opens at once; what is in it comes with its first opening, from a
// module of its own or, of small ones, from the one that they share.

const small = ['about', 'layers', 'link', 'sizes', 'take'];

export class Side {
  /** reader is what a panel may ask of the reader. */
  constructor(view, reader) {
    this.view = view;
    this.reader = reader;
    this.panels = {};
    this.open = this.panel = this.button = null;
  }

  toggle(name) {
    if (this.open === name) this.close();
    else this.show(name);
  }

  /** Opens a panel, and gives what is in it if nothing else was opened until it
      came. */
  async show(name) {
    const panel = this.panels[name] ??= this.make(name);
    if (this.open !== name) {
      this.hide();
      this.open = name;
      this.panel = panel;
      this.button = document.querySelector(`[data-do=${name}]`);
      panel.element.hidden = false;
      this.button?.setAttribute('aria-expanded', 'true');
      this.aside(name !== 'overview');
    }
    panel.coming ??= this.fill(name, panel);
    await panel.coming;
    if (this.panel !== panel || panel.element.hidden) return null;
    panel.inside?.opened?.();
    return panel.inside;
  }

  make(name) {
    const title = say(name === 'take' ? 'download' : name);
    const element = make('section', { class: 'side', id: name, role: 'region', 'aria-label': title },
      make('header', {}, make('h2', {}, title), shut(() => this.close())));
    element.addEventListener('keydown', (event) => {
      if (event.key !== 'Escape') return;
      event.stopPropagation();
      this.close();
    });
    this.view.append(element);
    return { element };
  }

  async fill(name, panel) {
    const { element } = panel;
    element.replaceChildren(element.firstChild);
    element.ariaBusy = true;
    try {
      // Slow devices lay the pages out beside it before it is filled.
      const [{ fill, [name]: own = fill }] = await Promise.all([import(`./${small.includes(name) ? 'panels' : name}.js`), pause()]);
      panel.inside = await own(element, this.reader, () => this.close());
    } catch {
      panel.coming = null;
      element.replaceChildren(element.firstChild, make('p', { role: 'alert' }, say('text_late')),
        press('plain', say('again'), () => this.show(name)));
      this.reader.away.look();
    }
    element.ariaBusy = false;
  }

  /** The pages stand beside the panel, or have all the room. */
  aside(on) {
    if (this.view.classList.contains('sided') !== on) this.reader.near.loosen();
    this.view.classList.toggle('sided', on);
  }

  hide() {
    if (!this.open) return;
    this.panel.element.hidden = true;
    this.button?.setAttribute('aria-expanded', 'false');
    this.open = null;
  }

  close() {
    if (!this.open) return;
    this.hide();
    this.aside(false);
    (this.button?.offsetParent ? this.button : document.getElementById('more') ?? this.reader.pages).focus();
  }

  /** Where a panel covers the page, it makes way for it. */
  makeWay() {
    if (this.open && this.panel.element.offsetWidth > this.view.clientWidth * 0.6) this.close();
  }

  /** Tells every panel there is of the page that is read. */
  mark(page) {
    for (const { inside } of Object.values(this.panels)) inside?.mark?.(page);
  }
}
