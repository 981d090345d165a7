import { say, make } from './make.js';

// All pages, small. Only what is in view exists: a thousand pages cost no more
// than twenty.

const side = 120; // px of a small page's cell
const foot = 28;

export function fill(panel, reader, close) {
  const { sheets } = reader;
  const room = make('div', { class: 'smalls', role: 'group', 'aria-label': say('overview'), tabindex: -1 });
  const inner = make('div');
  room.append(inner);
  panel.append(room);
  const cells = new Map();
  let columns = 1;
  let held = 1; // the page that has the one tab stop
  const tall = Math.round(side * 1.42);
  const step = tall + foot + 16;

  const place = (page) => {
    const i = page - 1;
    return [Math.floor(i / columns) * step, (i % columns)];
  };

  function cell(page) {
    const box = sheets[page - 1].getBoundingClientRect();
    const img = make('img', { alt: '', decoding: 'async' });
    reader.near.load(img, page, side);
    const ratio = box.width / box.height;
    img.style.aspectRatio = ratio;
    if (ratio < side / tall) img.style.height = `${tall}px`;
    else img.style.width = `${side}px`;
    const button = make('button', { type: 'button', class: 'small', 'data-small': page,
      'aria-label': sheets[page - 1].getAttribute('aria-label'), onclick: () => { close(); reader.go(page); reader.focusSheet(page); } },
      make('span', { class: 'leaf' }, img), make('span', {}, reader.labelOf(page)));
    return button;
  }

  function draw() {
    const style = getComputedStyle(room);
    const width = room.clientWidth - parseFloat(style.paddingLeft) - parseFloat(style.paddingRight);
    columns = Math.max(Math.floor((width + 12) / (side + 12)), 1);
    inner.style.height = `${Math.ceil(sheets.length / columns) * step}px`;
    const first = Math.max(Math.floor(room.scrollTop / step) - 1, 0) * columns + 1;
    const last = Math.min((Math.floor((room.scrollTop + room.clientHeight) / step) + 2) * columns, sheets.length);
    for (const [page, element] of cells) {
      if (page >= first && page <= last) continue;
      if (element === document.activeElement) continue;
      element.remove();
      cells.delete(page);
    }
    for (let page = first; page <= last; page++) {
      if (!cells.has(page)) {
        cells.set(page, cell(page));
        const before = [...cells.keys()].filter((p) => p > page).sort((a, b) => a - b)[0];
        inner.insertBefore(cells.get(page), cells.get(before) ?? null);
      }
      const [y, column] = place(page);
      const element = cells.get(page);
      element.style.top = `${y}px`;
      element.style.insetInlineStart = `${(column + 0.5) * (width / columns) - side / 2}px`;
      element.tabIndex = page === held ? 0 : -1;
      element.toggleAttribute('aria-current', page === reader.page);
    }
  }

  function hold(page, focus = true) {
    held = Math.min(Math.max(page, 1), sheets.length);
    const [y] = place(held);
    if (y < room.scrollTop || y + step > room.scrollTop + room.clientHeight) room.scrollTop = Math.max(y - room.clientHeight / 3, 0);
    draw();
    if (focus) cells.get(held)?.focus({ preventScroll: true });
  }

  room.addEventListener('scroll', () => requestAnimationFrame(draw), { passive: true });
  room.addEventListener('keydown', (event) => {
    const on = document.dir === 'rtl' ? -1 : 1;
    const to = { ArrowLeft: held - on, ArrowRight: held + on, ArrowUp: held - columns, ArrowDown: held + columns, Home: 1,
      End: sheets.length }[event.key];
    if (to === undefined) return;
    event.preventDefault();
    event.stopPropagation();
    if (to >= 1 && to <= sheets.length) hold(to);
  });
  new ResizeObserver(() => { if (!panel.hidden) draw(); }).observe(room);
  return {
    opened() {
      draw();
      hold(reader.page);
    },
  };
}
