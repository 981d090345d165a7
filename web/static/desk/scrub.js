// Drag the label of a number to change it: one step for four pixels. The field
// shows the figure at once; it is sent when the pointer is let go.

export function scrub(root, fieldOf) {
  for (const label of root.querySelectorAll('[data-scrub]')) {
    const input = root.querySelector(`#${label.dataset.scrub}`);
    label.addEventListener('pointerdown', (down) => {
      if (down.button !== 0) return;
      const field = fieldOf(label.dataset.scrub);
      const step = Number(input.step) || 1;
      let value = field.now;
      let moved = false;
      label.setPointerCapture(down.pointerId);
      const move = (e) => {
        const by = Math.round((e.clientX - down.clientX) / 4) * step;
        if (by === 0 && !moved) return;
        moved = true;
        const low = input.min === '' ? -Infinity : Number(input.min);
        const high = input.max === '' ? Infinity : Number(input.max);
        value = Math.min(Math.max(field.now + by, low), high);
        input.value = value;
      };
      const up = () => {
        label.removeEventListener('pointermove', move);
        if (moved) field.set(value);
      };
      label.addEventListener('pointermove', move);
      label.addEventListener('pointerup', up, { once: true });
    });
    // A drag is no press: it must not move the focus.
    label.addEventListener('dragstart', (e) => e.preventDefault());
  }
}
