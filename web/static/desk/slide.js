// A drawing that is a slider: press or drag it, or move it with the arrow keys
// (WAI-ARIA slider). One step is 10, with Shift 1.

/** to(x) is called with px from the left, by(step) from the keyboard. Gives a
    function that says where it stands. */
export function slide(root, svg, name, to, by) {
  const thumb = document.createElement('div');
  thumb.className = 'thumb';
  thumb.tabIndex = 0;
  thumb.setAttribute('role', 'slider');
  thumb.setAttribute('aria-label', name);
  root.append(svg, thumb);
  const at = (event) => event.clientX - root.getBoundingClientRect().left;
  root.addEventListener('pointerdown', (event) => {
    if (event.button !== 0) return;
    event.preventDefault();
    root.setPointerCapture(event.pointerId);
    thumb.focus({ preventScroll: true });
    to(at(event));
  });
  root.addEventListener('pointermove', (event) => {
    if (root.hasPointerCapture(event.pointerId)) to(at(event));
  });
  thumb.addEventListener('keydown', (event) => {
    const step = { ArrowLeft: -1, ArrowDown: -1, ArrowRight: 1, ArrowUp: 1, PageDown: -10, PageUp: 10 }[event.key];
    if (!step) return;
    event.preventDefault();
    event.stopPropagation();
    by(step * (event.shiftKey ? 1 : 10));
  });
  return ({ at: x, now, low, high, words }) => {
    thumb.style.left = `${x}px`;
    thumb.setAttribute('aria-valuenow', String(now));
    thumb.setAttribute('aria-valuemin', String(low));
    thumb.setAttribute('aria-valuemax', String(high));
    thumb.setAttribute('aria-valuetext', words);
  };
}
