// Pages in the dark: turned to light on dark, while the pictures on them stay as
// they are. What is kept is drawn out of the page's own image.

const kinds = ['dims', 'dim-dark'];

export const dimmed = (sheet) => {
  const img = sheet.querySelector(':scope > img');
  return !!img && getComputedStyle(img).filter !== 'none';
};

/** Draws the pictures of a page over its dimmed image. */
export function keep(sheet, svg) {
  const img = sheet.querySelector(':scope > img');
  const { width, height } = svg.viewBox.baseVal;
  const rects = (svg.dataset.figures ?? '').split(' ').filter(Boolean).map((r) => r.split(',').map(Number));
  sheet.querySelector(':scope > .kept')?.remove();
  if (!img || !rects.length || !dimmed(sheet)) return;
  const box = document.createElement('div');
  box.className = 'kept';
  const draw = () => {
    // All of the image is drawn, and what falls beside is cut: parts of it are not
    // counted alike by all browsers.
    const k = (img.naturalWidth / width) * devicePixelRatio;
    box.replaceChildren(...rects.map(([left, top, w, h]) => {
      const canvas = document.createElement('canvas');
      [canvas.width, canvas.height] = [Math.max(Math.round(w * k), 1), Math.max(Math.round(h * k), 1)];
      const part = (n, of) => `${(100 * n) / of}%`;
      Object.assign(canvas.style, { left: part(left, width), top: part(top, height), width: part(w, width), height: part(h, height) });
      canvas.getContext('2d').drawImage(img, -left * k, -top * k, width * k, height * k);
      return canvas;
    }));
  };
  if (img.complete && img.naturalWidth) draw();
  img.addEventListener('load', draw);
  img.after(box);
}

/** The reader's own wish: on or off, whatever the placement says. */
export function wish(reader, on) {
  document.body.classList.remove(...kinds);
  if (on) document.body.classList.add('dims');
  for (const sheet of reader.sheets) {
    const svg = sheet.querySelector('.layer');
    if (svg) keep(sheet, svg);
  }
}
