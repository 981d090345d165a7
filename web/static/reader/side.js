import { say, make, press, shut, pause } from './make.js';

// The side panel: one at a time, beside the pages or, on a narrow frame, over
// them. What is in it comes with its first opening, from a module of its own or,
// of small ones, from the one that they share.

const small = ['contents', 'about', 'layers', 'link', 'sizes', 'take'];

export class Side {
  /** reader is what a panel may ask of the reader. */
  constructor(view, reader) {
    Object.assign(this, { view, reader, coming: new Map(), panels: [] });
  }

  toggle(name) {
    if (this.open === name) this.close();
    else this.show(name);
  }

  async show(name) {
    const button = document.querySelector(`[data-do=${name}]`);
    this.wanted = name;
    this.reader.drop('late');
    if (!this.coming.has(name)) this.coming.set(name, this.make(name));
    const panel = await this.coming.get(name).catch(() => this.late(name));
    // Another may have been asked for meanwhile.
    if (!panel || this.wanted !== name) return null;
    this.hide();
    Object.assign(this, { open: name, panel, button });
    panel.element.hidden = false;
    button?.setAttribute('aria-expanded', 'true');
    this.aside(!panel.wide);
    // Slow devices lay the pages out beside it before the focus goes there.
    if (!panel.known) await pause();
    panel.known = true;
    panel.inside?.opened?.();
    return panel.inside;
  }

  /** Says that a panel has not arrived: the server is away, or refuses. */
  async late(name) {
    this.coming.delete(name);
    await this.reader.away.look();
    if (this.reader.away.waiting) return;
    this.reader.notice('late', say('text_late'), press('plain', say('again'), () => this.show(name)));
  }

  async make(name) {
    const { wide, fill, [name]: own = fill } = await import(`./${small.includes(name) ? 'panels' : name}.js`);
    const title = say(name === 'take' ? 'download' : name);
    const element = make('section', { class: `side ${wide ? 'over' : ''}`, id: name, role: 'region', 'aria-label': title, hidden: true },
      make('header', {}, make('h2', {}, title), shut(() => this.close())));
    element.addEventListener('keydown', (event) => {
      if (event.key !== 'Escape') return;
      event.stopPropagation();
      this.close();
    });
    const panel = { wide, element, inside: await own(element, this.reader, () => this.close()) };
    this.view.append(element);
    this.panels.push(panel);
    return panel;
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
    this.wanted = null;
    this.aside(false);
    (this.button?.offsetParent ? this.button : document.getElementById('more') ?? this.reader.pages).focus();
  }

  /** Where a panel covers the page, it makes way for it. */
  makeWay() {
    if (this.open && this.panel.element.offsetWidth > this.view.clientWidth * 0.6) this.close();
  }

  /** Tells every panel there is of the page that is read. */
  mark(page) {
    for (const { inside } of this.panels) inside?.mark?.(page);
  }
}
