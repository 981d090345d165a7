import { say, num } from './make.js';
import { stretch } from './flow.js';

// Size and turn of the pages: by steps, by a figure, by the wheel with Ctrl, by
// two fingers. What is under the pointer stays under it.

const steps = [10, 25, 33, 50, 67, 75, 90, 100, 110, 125, 150, 175, 200, 250, 300, 400, 500, 640];
export const least = steps[0];
export const most = steps.at(-1);
const gutters = 24;

export class Zoom {
  /** changes() is told before the size changes, changed() afterwards; page() gives the current one. */
  constructor(flow, page, changes, changed) {
    this.flow = flow;
    this.pages = flow.pages;
    this.sheets = flow.sheets;
    this.page = page;
    this.changes = changes;
    this.changed = changed;
    this.turned = 0;
    this.size = new CSSStyleSheet();
    this.turn = new CSSStyleSheet();
    document.adoptedStyleSheets = [this.size, this.turn];
    this.pages.addEventListener('wheel', (event) => {
      if (!event.ctrlKey) return;
      event.preventDefault();
      this.at(this.exact * this.factor() * Math.exp(-Math.min(Math.max(event.deltaY, -60), 60) / 120), [event.clientX, event.clientY]);
    }, { passive: false });
    this.fingers();
  }

  property(name, of = this.sheets[0]) { return Number(getComputedStyle(of).getPropertyValue(name)); }

  get exact() { return (this.sheets[0].getBoundingClientRect().width / this.property('--w')) * 75; }

  /** How many times as large the row of a page stands as the scale says. */
  factor(sheet = this.sheets[this.page() - 1]) { return this.property('--f', sheet); }

  /** CSS px for a point of a page, as it stands now. */
  points(sheet) { return sheet.getBoundingClientRect().width / this.property('--w', sheet) * this.factor(sheet); }

  /** The size, in percent, at which the width, the height or the whole of the current row fits. */
  fitting(how) {
    const box = this.pages.parentElement;
    const wide = (box.clientWidth - gutters) / this.property('--maxw', this.pages);
    const high = (box.clientHeight - gutters) / this.property('--maxh', this.pages);
    return (how === 'page' ? Math.min(wide, high) : how === 'height' ? high : wide) * 75 * this.factor();
  }

  /** Sizes go from 10 % to 640 %, and down to where the largest page is whole. */
  inside(percent) { return Math.min(Math.max(percent, Math.min(least, this.fitting('page'))), most); }

  get percent() { return Math.round(this.exact * this.factor()); }

  smaller() { this.at(steps.findLast((s) => s < this.percent) ?? least); }

  larger() { this.at(steps.find((s) => s > this.percent) ?? most); }

  /** Sets a size in percent of true size, or with null the one at opening. */
  at(percent, point = null, quiet = false) {
    const { flow, pages } = this;
    const room = pages.getBoundingClientRect();
    const [x, y] = point ?? [room.left + room.width / 2, room.top + room.height / 2];
    const under = point && document.elementFromPoint(x, y)?.closest('.sheet');
    const sheet = under ?? this.sheets[this.page() - 1];
    const before = sheet.getBoundingClientRect();
    const part = [(x - before.left) / before.width, (y - before.top) / before.height];
    this.asked = percent;
    this.changes();
    this.size.replaceSync(percent === null ? '' : `.pages .all.all.all { --pt: ${this.inside(percent) / 75 / this.factor()}px }`);
    const after = sheet.getBoundingClientRect();
    const by = { left: after.left + part[0] * after.width - x, top: after.top + part[1] * after.height - y, behavior: 'instant' };
    if (flow.turns) {
      flow.to(flow.row(this.page()));
      sheet.closest('.slot').scrollBy(by);
    } else pages.scrollBy(by);
    this.changed();
    if (!quiet) document.getElementById('said').textContent = say('size', { n: this.percent });
  }

  /** Fits the widest row, the whole of the current one, or shows true size. */
  fit(how, quiet = false) {
    if (how === 'true') return this.at(100, null, quiet);
    return this.at(this.fitting(how), null, quiet);
  }

  /** Turns all pages by a quarter more. The layout goes by the turned sizes. */
  rotate() {
    const page = this.page();
    this.turned = (this.turned + 1) % 4;
    this.pages.style.setProperty('--turn', `${this.turned * 90}deg`);
    if (this.turned) this.pages.dataset.turn = this.turned;
    else delete this.pages.dataset.turn;
    const odd = this.turned % 2 === 1;
    this.changes();
    const own = new Map();
    this.turn.replaceSync('');
    for (const s of this.sheets) {
      const name = s.classList[1];
      if (!own.has(name)) own.set(name, [this.property('--w', s), this.property('--h', s)]);
    }
    let widest = 0;
    let tallest = 0;
    for (const row of this.flow.rows) {
      const sizes = [...row.children].map((s) => own.get(s.classList[1]));
      const [w, h] = odd ? [1, 0] : [0, 1];
      const rw = sizes.reduce((sum, s) => sum + s[w], 0);
      const rh = Math.max(...sizes.map((s) => s[h]));
      [widest, tallest] = [Math.max(widest, rw), Math.max(tallest, rh)];
      if (odd) {
        row.style.setProperty('--rw', rw);
        row.style.setProperty('--rh', rh);
      } else {
        row.style.removeProperty('--rw');
        row.style.removeProperty('--rh');
      }
    }
    const rules = [...own].map(([name, [w, h]]) => `.${name} { --w0: ${w}; --h0: ${h}; --w: ${odd ? h : w}; --h: ${odd ? w : h} }`);
    rules.push(`.pages { --maxw: ${widest}; --maxh: ${tallest} }`);
    this.turn.replaceSync(rules.join('\n'));
    for (const block of this.pages.querySelectorAll('.block')) stretch(block);
    this.flow.to(this.flow.row(page));
    this.changed();
    document.getElementById('said').textContent = say('turned', { n: this.turned * 90 });
  }

  /** Two fingers: their middle is what stays, their distance is the size. */
  fingers() {
    const { pages } = this;
    const down = new Map();
    let start = null;
    const spread = () => {
      const [a, b] = [...down.values()];
      return { distance: Math.hypot(a[0] - b[0], a[1] - b[1]), middle: [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2] };
    };
    pages.addEventListener('touchstart', (event) => {
      down.clear();
      for (const t of event.touches) down.set(t.identifier, [t.clientX, t.clientY]);
      start = down.size === 2 ? { ...spread(), percent: this.exact * this.factor() } : null;
    }, { passive: true });
    pages.addEventListener('touchmove', (event) => {
      if (!start || event.touches.length !== 2) return;
      event.preventDefault();
      for (const t of event.touches) down.set(t.identifier, [t.clientX, t.clientY]);
      const now = spread();
      if (this.frame) return;
      this.frame = requestAnimationFrame(() => {
        this.frame = 0;
        if (!start) return;
        this.at(start.percent * (now.distance / start.distance), now.middle, true);
        this.pages.scrollBy({ left: start.middle[0] - now.middle[0], top: start.middle[1] - now.middle[1], behavior: 'instant' });
        start.middle = now.middle;
      });
    }, { passive: false });
    for (const end of ['touchend', 'touchcancel']) pages.addEventListener(end, () => { start = null; });
    let tap = null;
    pages.addEventListener('touchmove', () => { tap = null; }, { passive: true });
    pages.addEventListener('touchend', (event) => {
      const { clientX: x, clientY: y } = event.changedTouches[0];
      const before = tap;
      tap = event.touches.length || event.target.closest('a, button') ? null : { x, y, at: event.timeStamp };
      if (!tap || !before || tap.at - before.at > 300 || Math.hypot(x - before.x, y - before.y) > 24) return;
      tap = null;
      event.preventDefault();
      this.column(x, y);
    });
  }

  /** Makes the column of text at a point as wide as the frame, or goes back. */
  column(x, y) {
    if (this.asked) return void this.at(null, [x, y]);
    const room = this.pages.getBoundingClientRect();
    const lines = [...document.elementFromPoint(x, y)?.closest('.sheet')?.querySelectorAll('.layer text') ?? []]
      .map((t) => t.getBoundingClientRect()).filter((b) => b.left < x && b.right > x && Math.abs(b.top + b.height / 2 - y) < 80);
    const left = Math.min(...lines.map((b) => b.left));
    const wide = Math.max(...lines.map((b) => b.right)) - left;
    const by = lines.length ? Math.min(Math.max((room.width - gutters) / wide, 1.25), 4) : 2;
    this.at(this.exact * this.factor() * by, [x, y]);
    if (lines.length) this.pages.scrollBy({ left: x - (x - left) * by - room.left - gutters / 2, behavior: 'instant' });
  }

  /** What is shown of it, measured once: the figure, and whether it ends here. */
  shown() {
    const n = this.percent;
    return [say('percent', { n: num(n) }), n <= least, n >= most];
  }
}
