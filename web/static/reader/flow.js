import { pause } from './make.js';

// How readers move through the pages: where each row stands in the scroll, and
// which one is being read. One place for the four ways pages run.
//
// A long document's later rows come as the words of one noscript element: with
// script they are made in portions, so that no phone is held up by a thousand
// pages that nobody sees yet. Rows that run down stand in blocks; a block that is
// far from view has its height and nothing else.

const gutter = 12; // px around and between rows
const slice = 16; // rows
const budget = 8; // ms at a stretch

export async function grow(all) {
  const rest = all.querySelector(':scope > noscript');
  if (!rest) return;
  const rows = rest.textContent.trim().split(/\n(?=<div class="(?:slot|row)\b)/);
  rest.remove();
  const down = all.parentElement.classList.contains('down');
  let start = 0;
  for (let i = 0; i < rows.length; i += slice) {
    if (performance.now() - start > budget) {
      await pause();
      start = performance.now();
    }
    const some = rows.slice(i, i + slice).join('');
    all.insertAdjacentHTML('beforeend', down ? `<div class="block far">${some}</div>` : some.replaceAll('<div class="row ',
      '<div class="row far '));
    if (down) stretch(all.lastElementChild);
  }
}

const known = new Map();

/** The height of a row, in points. */
function tall(row) {
  const own = row.style.getPropertyValue('--rh');
  if (own) return Number(own);
  const [, name] = row.classList;
  if (!known.has(name)) known.set(name, Number(getComputedStyle(row).getPropertyValue('--rh')));
  return known.get(name);
}

/** Gives a block the height of its rows. */
export function stretch(block) {
  const points = [...block.children].reduce((sum, row) => sum + tall(row), 0);
  block.style.height = `calc(${points} * var(--pt) + ${block.children.length * gutter}px)`;
}

/** What is far or near as one: a block, or a row that stands by itself. */
export const unit = (row) => (row.parentElement.classList.contains('block') ? row.parentElement : row);

/** Where a row begins, in px from the first one's place, laid out or not. */
export function top(row) {
  const block = unit(row);
  if (block === row || !block.classList.contains('far')) return row.offsetTop;
  let points = 0;
  let rows = 1;
  for (let r = row.previousElementSibling; r; r = r.previousElementSibling) {
    points += tall(r);
    rows += 1;
  }
  return block.offsetTop + points * parseFloat(getComputedStyle(block).getPropertyValue('--pt')) + rows * gutter;
}

export class Flow {
  constructor(pages, sheets) {
    this.pages = pages;
    this.sheets = sheets;
    this.rows = [...pages.querySelectorAll('.row')];
    this.turns = pages.classList.contains('turn');
    this.sideways = this.turns || pages.classList.contains('across');
    this.tiled = pages.classList.contains('tiles');
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
    if (!this.sideways) return top(r) - gutter;
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
    let row = this.last(this.along + room / 3 - gutter);
    // Of tiles in one line the first counts.
    while (row > 0 && this.tiled && this.rows[row - 1].offsetTop + this.rows[row - 1].offsetHeight > this.rows[row].offsetTop) row -= 1;
    return row;
  }

  /** The last row that begins at or before a place along the way. */
  last(line) {
    let low = 0;
    let high = this.rows.length - 1;
    while (low < high) {
      const middle = (low + high + 1) >> 1;
      if (this.at(middle) <= line) low = middle;
      else high = middle - 1;
    }
    return low;
  }

  /** The rows in the frame, and in as much again before and behind it. */
  near() {
    const room = this.sideways ? this.pages.clientWidth : this.pages.clientHeight;
    let first = this.last(this.along - room);
    // Tiles stand in the middle of their line: a tall one begins before a low one.
    while (first > 0 && this.tiled && this.rows[first - 1].offsetTop + this.rows[first - 1].offsetHeight > this.along - room) first -= 1;
    return this.rows.slice(first, this.last(this.along + 2 * room) + 1);
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
