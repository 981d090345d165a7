// How readers move through the pages: where each row stands in the scroll, and
// which one is being read. One place for the four ways pages run.

const gutter = 12;

export class Flow {
  constructor(pages, sheets) {
    Object.assign(this, { pages, sheets, rows: [...pages.querySelectorAll('.row')] });
    this.turns = pages.classList.contains('turn');
    this.sideways = this.turns || pages.classList.contains('across');
    this.backward = pages.classList.contains('from-right');
    this.rowOf = new Map();
    for (const [i, row] of this.rows.entries()) for (const s of row.children) this.rowOf.set(Number(s.dataset.page), i);
  }

  first(row) { return Number(this.rows[row].firstElementChild.dataset.page); }

  row(page) { return this.rowOf.get(page); }

  /** How far along the way a row begins, in px. */
  at(row) {
    const { pages } = this;
    if (this.turns) return row * pages.clientWidth;
    const r = this.rows[row];
    if (!this.sideways) return r.offsetTop - gutter;
    return this.backward ? pages.clientWidth - r.offsetLeft - r.offsetWidth - gutter : r.offsetLeft - gutter;
  }

  get along() { return this.sideways ? Math.abs(this.pages.scrollLeft) : this.pages.scrollTop; }

  to(row) {
    const at = this.at(row);
    if (!this.sideways) this.pages.scrollTop = at;
    else this.pages.scrollTo({ left: this.backward ? -at : at, behavior: 'instant' });
    if (this.turns) this.rows[row].parentElement.scrollTo(0, 0);
  }

  /** Where reading is, so that it can be found again when the size of the frame
      has changed: a row, and the share of it that has been passed. */
  held() {
    const row = this.inView();
    const length = this.sideways ? this.rows[row].offsetWidth : this.rows[row].offsetHeight;
    return { row, share: (this.along - this.at(row)) / Math.max(length, 1) };
  }

  back({ row, share }) {
    const length = this.sideways ? this.rows[row].offsetWidth : this.rows[row].offsetHeight;
    const at = this.turns ? this.at(row) : this.at(row) + share * length;
    if (!this.sideways) this.pages.scrollTop = at;
    else this.pages.scrollTo({ left: this.backward ? -at : at, behavior: 'instant' });
  }

  /** The row at the reading line, a third along the frame. */
  inView() {
    const { pages } = this;
    const room = this.sideways ? pages.clientWidth : pages.clientHeight;
    const length = this.sideways ? pages.scrollWidth : pages.scrollHeight;
    if (this.turns) return Math.min(Math.max(Math.round(this.along / Math.max(room, 1)), 0), this.rows.length - 1);
    // At the very end the last row counts, however short it is.
    if (this.along > 0 && this.along + room >= length - 2) return this.rows.length - 1;
    const line = this.along + room / 3 - gutter;
    let low = 0;
    let high = this.rows.length - 1;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if (this.at(middle) <= line) low = middle;
      else high = middle - 1;
    }
    // Of tiles in one line the first counts.
    while (low > 0 && !this.sideways && this.rows[low - 1].offsetTop + this.rows[low - 1].offsetHeight > this.rows[low].offsetTop) low -= 1;
    return low;
  }

  /** The wheel moves along rows that run sideways, unless a page is taller than
      the frame and has the wheel first. */
  wheel(turn) {
    if (!this.sideways) return;
    let resting = 0;
    this.pages.addEventListener('wheel', (event) => {
      if (event.ctrlKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) return;
      const slot = event.target.closest?.('.slot');
      if (this.turns && slot && slot.scrollHeight > slot.clientHeight + 1) return;
      if (!this.turns && this.pages.scrollHeight > this.pages.clientHeight + 1) return;
      event.preventDefault();
      if (!this.turns) this.pages.scrollLeft += (this.backward ? -1 : 1) * event.deltaY;
      else if (event.timeStamp > resting) {
        resting = event.timeStamp + 350;
        turn(Math.sign(event.deltaY));
      }
    }, { passive: false });
  }
}
