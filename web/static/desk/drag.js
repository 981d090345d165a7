// Dragging things on a page: from where they stand, or from what can be added.
// While one is dragged a line shows where it would come to stand.

const least = 6; // CSS px before a press becomes a drag

export function drag({ rows, palette, grab, line, desk, chosen, choose, move, add }) {
  let from = null;
  let to = null;

  /** The place in a column that a pointer is at. */
  const placeAt = (x, y) => {
    const column = document.elementsFromPoint(x, y).find((e) => e.matches('[data-column]'));
    if (!column) return null;
    const row = [...rows.children].indexOf(column.parentElement);
    const blocks = [...column.querySelectorAll('[data-block]')];
    const others = blocks.filter((b) => b.dataset.block !== from.block);
    let at = others.findIndex((b) => { const r = b.getBoundingClientRect(); return y < r.top + r.height / 2; });
    if (at < 0) at = others.length;
    const box = column.getBoundingClientRect();
    const edge = at < others.length ? others[at].getBoundingClientRect().top - 6 :
      (others.at(-1)?.getBoundingClientRect().bottom ?? box.top) + 6;
    return { spot: { row, column: Number(column.dataset.column), at }, box, edge };
  };
  const show = (place) => {
    line.hidden = !place;
    if (!place) return;
    const room = desk.getBoundingClientRect();
    line.style.left = `${place.box.left - room.left + desk.scrollLeft}px`;
    line.style.top = `${place.edge - room.top + desk.scrollTop}px`;
    line.style.width = `${place.box.width}px`;
  };
  const begin = (event, what) => {
    if (event.button !== 0 || !event.isPrimary) return;
    from = { ...what, x: event.clientX, y: event.clientY, on: false };
  };
  rows.addEventListener('pointerdown', (event) => {
    const block = event.target.closest('[data-block]');
    // A finger scrolls the page; it drags by the handle.
    if (block && event.pointerType !== 'touch') begin(event, { block: block.dataset.block });
  });
  grab.addEventListener('pointerdown', (event) => begin(event, { block: chosen() }));
  palette.addEventListener('pointerdown', (event) => event.target.dataset.add && begin(event, { kind: event.target.dataset.add }));
  addEventListener('pointermove', (event) => {
    if (!from) return;
    if (!from.on) {
      if (Math.hypot(event.clientX - from.x, event.clientY - from.y) < least) return;
      from.on = true;
      document.body.classList.add('dragging');
      if (from.block) choose(from.block);
    }
    event.preventDefault();
    to = placeAt(event.clientX, event.clientY);
    show(to);
    // Near the edges the stage scrolls along.
    const room = desk.getBoundingClientRect();
    if (event.clientY < room.top + 40) desk.scrollBy(0, -12);
    else if (event.clientY > room.bottom - 40) desk.scrollBy(0, 12);
  });
  const end = (event) => {
    const done = from;
    const place = to;
    from = null;
    to = null;
    show(null);
    document.body.classList.remove('dragging');
    if (!done?.on) return;
    // The press that ends a drag chooses nothing.
    addEventListener('click', (e) => { e.stopPropagation(); e.preventDefault(); }, { capture: true, once: true });
    setTimeout(() => dispatchEvent(new MouseEvent('click')));
    if (!place || event.type === 'pointercancel') return;
    if (done.block) move(done.block, place.spot);
    else add(done.kind, place.spot);
  };
  addEventListener('pointerup', end);
  addEventListener('pointercancel', end);
  addEventListener('keydown', (event) => {
    if (event.key === 'Escape' && from?.on) {
      from = null;
      show(null);
      document.body.classList.remove('dragging');
    }
  });
}
