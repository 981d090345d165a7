// A drawing of one screen, as it was computed: the window, the column in it, the
// frame, and the pages that show at opening, with their real images where there
// are any.
import { el } from './svg.js';

let drawings = 0;

/** How wide each of some screens is drawn so that all fit into a room beside each
    other: wide ones wider, but not as much as they are. */
export function drawnWidth(screen, screens, room) {
  const all = screens.reduce((sum, o) => sum + Math.cbrt(o.page), 0);
  return Math.floor((Math.cbrt(screen.page) / all) * room);
}


/** Gives the address of a page's image for a width in px, twice as fine where
    there is one, or "" where there are none. */
export const imageFrom = ({ images, ladder }) => (page, width) => images &&
  `${images}/${page}/${ladder.find((l) => l >= width * 2) ?? ladder.at(-1)}`;

/** width is px of the drawing; image(page, px) gives an address, or is left out. */
export function drawing(m, width, image) {
  const { screen, box, inner, bar } = m;
  const scale = width / screen.page;
  const tall = Math.max(screen.height, 1);
  const clip = `inner-${drawings += 1}`;
  const column = (screen.page - screen.column) / 2;
  const top = 64; // what stands above the frame on its web page
  const parts = [el('rect', { class: 'window', width: screen.page, height: tall })];
  const line = (y, part, thick = 9) => el('rect', { class: 'line', x: column, y, width: screen.column * part, height: thick });
  parts.push(line(16, 0.46, 16), line(42, 0.8));
  const under = top + box.Height + 20;
  for (const [i, part] of [1, 0.94, 0.6].entries()) if (under + i * 18 < tall) parts.push(line(under + i * 18, part));
  const pages = m.drawn.map(({ page, box: b }) => {
    const at = { x: b.x, y: b.y, width: b.w, height: b.h };
    const address = image?.(page, b.w * scale);
    return el('g', {}, el('rect', { class: 'page', ...at }),
      ...(address ? [el('image', { ...at, href: address, preserveAspectRatio: 'none' })] : [paper(b)]));
  });
  parts.push(el('g', { transform: `translate(${column + m.left} ${top})` },
    el('rect', { class: 'box', width: box.Width, height: box.Height }),
    el('clipPath', { id: clip }, el('rect', { x: inner.x, y: inner.y, width: inner.w, height: inner.h })),
    el('g', { 'clip-path': `url(#${clip})` }, ...pages),
    ...(bar.w ? [el('rect', { class: 'bar', x: bar.x, y: bar.y, width: bar.w, height: bar.h })] : [])));
  return el('svg', { class: 'drawn', width, height: tall * scale, viewBox: `0 0 ${screen.page} ${tall}`, 'aria-hidden': 'true' }, ...parts);
}

/** Lines of text at their size where there is no image: 11 pt in 20 mm of margin. */
function paper(b) {
  const unit = b.w / 595;
  let d = '';
  for (let y = 78; y < b.h / unit - 60; y += 16) d += `M${b.x + 57 * unit} ${b.y + y * unit}h${481 * unit * ((y - 78) % 80 === 64 ? 0.6 : 1)}`;
  return el('path', { class: 'text', d, 'stroke-width': 4 * unit });
}
