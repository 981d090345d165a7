// The frame's edges: pull them, or move them with the arrow keys. Where a pull
// comes to rest, and what it makes of the settings, the server says.

const sides = { right: [1, 0], bottom: [0, 1], corner: [1, 1] };

/** size() gives the frame's outer size in CSS px and the stage's scale; pull(p,
    keep) asks. */
export function grips(root, { size, pull, centred }) {
  for (const [side, [wide, tall]] of Object.entries(sides)) {
    const grip = root.querySelector(`.grip.${side}`);
    let from = null;
    let last = null;
    const wanted = (event) => {
      // A centred frame grows to both sides: its edge follows the pointer.
      const stretch = wide && centred() ? 2 : 1;
      return {
        width: wide ? Math.max(from.width + ((event.clientX - from.x) / from.scale) * stretch, 1) : 0,
        height: tall ? Math.max(from.height + (event.clientY - from.y) / from.scale, 1) : 0,
        within: 8 / from.scale,
      };
    };
    grip.addEventListener('pointerdown', (event) => {
      if (event.button !== 0) return;
      event.preventDefault();
      grip.setPointerCapture(event.pointerId);
      grip.focus({ preventScroll: true });
      from = { ...size(), x: event.clientX, y: event.clientY };
    });
    grip.addEventListener('pointermove', (event) => {
      if (!from) return;
      last = wanted(event);
      pull(last, false);
    });
    for (const end of ['pointerup', 'pointercancel']) {
      grip.addEventListener(end, () => {
        if (from && last) pull(last, true);
        from = null;
        last = null;
      });
    }
    grip.addEventListener('keydown', (event) => {
      const step = event.shiftKey ? 1 : 10;
      const by = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[event.key];
      if (!by || !(by[0] * wide || by[1] * tall)) return;
      event.preventDefault();
      event.stopPropagation();
      const now = size();
      // A step comes to rest at what it would pass, but leaves where it stands.
      pull({ width: by[0] ? now.width + by[0] : 0, height: by[1] ? now.height + by[1] : 0, within: step > 1 ? step / 2 - 0.5 : 0 }, true);
    });
  }
}
