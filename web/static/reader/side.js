import { say, make, shut, pause } from './make.js';

// The side panel: one at a time, beside the pages or, on a narrow frame, over
// them. What is in it comes with its first opening, from a module of its own or,
// of small ones, from the one that they share.

const small = ['about', 'layers', 'link', 'sizes', 'take'];

export class Side {
  /** reader is what a panel may ask of the reader. */
  constructor(view, reader) {
    Object.assign(this, { view, reader, panels: new Map() });
  }

  async toggle(name, button) {
    return this.open === name ? this.close() : this.show(name, button);
  }

  async show(name, button = document.querySelector(`[data-do=${name}]`)) {
    if (this.open && this.open !== name) this.close(false);
    let panel = this.panels.get(name);
    const fresh = !panel;
    if (fresh) {
      const { wide, fill, [name]: own = fill } = await import(`./${small.includes(name) ? 'panels' : name}.js`);
      const title = say(name === 'take' ? 'download' : name);
      panel = { wide, element: make('section', { class: `side ${wide ? 'over' : ''}`, id: name, role: 'region', 'aria-label': title, hidden: true },
        make('header', {}, make('h2', {}, title), shut(() => this.close()))) };
      panel.element.addEventListener('keydown', (event) => {
        if (event.key !== 'Escape') return;
        event.stopPropagation();
        this.close();
      });
      this.view.append(panel.element);
      this.panels.set(name, panel);
      panel.inside = await own(panel.element, this.reader, () => this.close());
    }
    [this.open, this.button] = [name, button];
    panel.element.hidden = false;
    button?.setAttribute('aria-expanded', 'true');
    this.aside(!panel.wide);
    // Slow devices lay the pages out beside it before the focus goes there.
    if (fresh) await pause();
    panel.inside?.opened?.();
    return panel.inside;
  }

  /** The pages stand beside the panel, or have all the room. */
  aside(on) {
    if (this.view.classList.contains('sided') !== on) this.reader.near.loosen();
    this.view.classList.toggle('sided', on);
  }

  close(back = true) {
    const panel = this.panels.get(this.open);
    if (!panel) return;
    panel.element.hidden = true;
    this.aside(false);
    this.button?.setAttribute('aria-expanded', 'false');
    this.open = null;
    if (back) (this.button?.offsetParent ? this.button : document.getElementById('more') ?? this.reader.pages).focus();
  }

  /** Where a panel covers the page, it makes way for it. */
  makeWay() {
    const panel = this.panels.get(this.open)?.element;
    if (panel && panel.offsetWidth > this.view.clientWidth * 0.6) this.close();
  }

  /** Tells every panel there is of the page that is read. */
  mark(page) {
    for (const { inside } of this.panels.values()) inside?.mark?.(page);
  }
}
