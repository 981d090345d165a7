// How a web page lies on its stage: the server's drawing, scaled to the room
// there is, with the outline of what is chosen and the lines of the glosses.
import { leaders } from './leaders.js';

const byId = (id) => document.getElementById(id);

/** Methods of the stage. Its owner has st (the state), chosen, column, drafts,
    ruler and titles. */
export const stage = {
  take(state) {
    state.differences.forEach((d, i) => { d.key = i; });
    this.st = state;
    if (this.chosen && !this.b.kind) this.chosen = '';
    this.draw();
    this.lay();
  },
  /** Puts the server's drawing on the stage; blocks that are drawn as before are
      moved, not made anew. */
  draw() {
    const rows = byId('rows');
    const next = document.createElement('template');
    next.innerHTML = this.st.html;
    const old = new Map([...rows.querySelectorAll('[data-block]')].map((e) => [e.dataset.block, e]));
    const stay = [];
    for (const e of next.content.querySelectorAll('[data-block]')) {
      const id = e.dataset.block;
      const drawn = e.outerHTML + (this.st.frames[id]?.mark ?? '');
      if (this.drafts[id] === drawn && old.has(id)) {
        const place = document.createElement('i');
        e.replaceWith(place);
        stay.push([old.get(id), place]);
      }
      this.drafts[id] = drawn;
    }
    const before = [...rows.children];
    rows.append(next.content);
    for (const [e, place] of stay) {
      if (rows.moveBefore) place.parentElement.moveBefore(e, place);
      else place.before(e);
      place.remove();
    }
    before.forEach((e) => e.remove());
    for (const c of rows.querySelectorAll('[data-column]')) c.classList.toggle('empty', !c.querySelector('[data-block]'));
    for (const e of rows.querySelectorAll('[data-block] :is(a, iframe)')) e.tabIndex = -1;
    const how = new Map(this.st.differences.filter((d) => d.block).map((d) => [d.block, d.how]));
    for (const b of this.blocks()) {
      const e = rows.querySelector(`[data-block="${b.id}"]`);
      e.tabIndex = 0;
      e.setAttribute('role', 'group');
      e.setAttribute('aria-label', this.named(b));
      if (how.has(b.id)) e.dataset.how = how.get(b.id);
      else delete e.dataset.how;
      const { style } = this.st.frames[b.id] ?? {};
      const held = e.querySelector('.held');
      if (!held || !style) continue;
      held.style.cssText = '';
      for (const rule of [`width:${style.PlainWidth}`, `width:${style.Width}`, `height:${style.PlainHeight}`, `height:${style.Height}`,
        `margin:${style.Margin}`, ...style.Dress.split(';')]) {
        const at = rule.indexOf(':');
        held.style.setProperty(rule.slice(0, at), rule.slice(at + 1));
      }
    }
    byId('site').style.setProperty('--accent', this.st.accent);
    this.marked();
  },
  marked() {
    for (const e of byId('rows').querySelectorAll('[data-block]')) e.classList.toggle('picked', e.dataset.block === this.chosen);
    for (const e of byId('rows').querySelectorAll('[data-column]')) {
      const at = this.st.page.rows.findIndex((r) => r.id === e.parentElement.dataset.row);
      e.classList.toggle('picked', Boolean(!this.chosen && this.column && this.column.row === at &&
        this.column.column === Number(e.dataset.column)));
    }
  },
  scale() {
    const room = byId('desk').clientWidth - 32;
    return room > 0 ? Math.min(1, room / this.st.window) : 1;
  },
  lay() {
    const page = byId('webpage');
    const scale = this.scale();
    const desk = byId('desk');
    page.style.width = `${this.st.window}px`;
    page.style.transform = scale < 1 ? `scale(${scale})` : '';
    page.style.marginBottom = scale < 1 ? `${(scale - 1) * page.offsetHeight}px` : '';
    page.style.marginRight = scale < 1 ? `${(scale - 1) * this.st.window}px` : '';
    page.style.marginLeft = `${Math.max((desk.clientWidth - 32 - this.st.window * scale) / 2, 0)}px`;
    const shown = this.st.screens.find((m) => m.screen.page === this.st.window);
    this.ruler?.draw({ page: this.st.window, name: shown?.screen.name ?? '' }, this.st.screens);
    const e = byId('rows').querySelector('.block.picked');
    this.boxed = Boolean(e);
    this.sized = Boolean(e && this.frame());
    if (e) {
      const on = (this.sized ? e.querySelector('.held') : e).getBoundingClientRect();
      const room = desk.getBoundingClientRect();
      const outline = byId('outline');
      outline.style.left = `${on.left - room.left + desk.scrollLeft}px`;
      outline.style.top = `${on.top - room.top + desk.scrollTop}px`;
      outline.style.width = `${on.width}px`;
      outline.style.height = `${on.height}px`;
      if (this.sized) this.box = { ...this.frame().box, Column: this.frame().screen.column };
    }
    this.$nextTick(() => this.lines());
  },
  /** Leader lines lead to documents that stand at the left: beyond another column
      they would cross text. */
  lines() {
    const scale = this.scale();
    const here = this.hereName();
    const about = [];
    for (const g of this.st.glosses) {
      const held = byId('rows').querySelector(`[data-block="${g.block}"] .held`);
      if (!held || g.screen !== here || held.closest('[data-column]').dataset.column !== '0') continue;
      const at = held.getBoundingClientRect();
      about.push({ ...g, spot: { x: at.left + g.spot.x * scale, y: at.top + g.spot.y * scale } });
    }
    leaders(byId('leaders'), { glosses: about, margin: byId('margin').getBoundingClientRect(),
      gutter: document.querySelector('.gutter').getBoundingClientRect(),
      desk: byId('desk').getBoundingClientRect(), frame: { left: 0, top: 0 }, scale: 1, item: (g) => byId(this.glossId(g)) });
  },
  hereName() { return this.st.screens.find((m) => m.screen.page === this.st.window)?.screen.name ?? 'here'; },
  glossId(g) { return `g-${g.block}-${g.kind}`; },
};
