// Leader lines: from a gloss in the margin along the gutter to a dot at the spot
// it is about. They run where nothing is written: the gutter beside the margin,
// then the empty side of the web page.
import { el } from './svg.js';

/** Draws a line for each gloss that needs one. frame is the frame's box on the
    screen, scale the stage's. */
export function leaders(svg, { glosses, margin, gutter, desk, frame, scale, item }) {
  const origin = svg.getBoundingClientRect();
  const parts = [];
  const about = glosses.filter((g) => g.level !== 'order').map((g) => {
    const title = item(g)?.querySelector('h3').getBoundingClientRect();
    return title && { g, y: title.top + Math.min(title.height, 22) / 2, x: frame.left + g.spot.x * scale,
      to: frame.top + g.spot.y * scale };
  }).filter((l) => l && l.y > margin.top && l.y < margin.bottom && l.to >= desk.top && l.to <= desk.bottom && l.x >= desk.left);
  // Each has a lane of its own. Lines that go up take the first ones, the lowest
  // spot last; lines that go down the others, the lowest spot first: so they nest.
  about.sort((a, b) => a.to - b.to);
  const ups = about.filter((l) => l.to < l.y);
  const downs = about.filter((l) => l.to >= l.y).reverse();
  const lanes = [...ups, ...downs];
  const step = Math.min(6, (gutter.width - 8) / Math.max(about.length - 1, 1));
  for (const line of about) {
    const { g, y, x, to } = line;
    const lane = gutter.left + 4 + step * lanes.indexOf(line);
    const at = (px, py) => `${(px - origin.left).toFixed(1)} ${(py - origin.top).toFixed(1)}`;
    parts.push(el('path', { class: g.level, d: `M${at(margin.right, y)}L${at(lane, y)}L${at(lane, to)}L${at(x, to)}` }),
      el('circle', { class: g.level, cx: x - origin.left, cy: to - origin.top, r: 4 }));
  }
  svg.replaceChildren(...parts);
}
