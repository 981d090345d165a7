// Copying: pieces of text as the server says they belong together. Each piece
// tells what stands behind it: a space unless said otherwise.

export function copying(pages) {
  document.addEventListener('copy', (event) => {
    const selection = document.getSelection();
    if (selection.isCollapsed || !pages.contains(selection.anchorNode)) return;
    const range = selection.getRangeAt(0);
    const texts = [...pages.querySelectorAll('.layer text')].filter((t) => range.intersectsNode(t));
    let out = '';
    let page = null;
    for (const t of texts) {
      const node = t.firstChild;
      const from = range.startContainer === node ? range.startOffset : 0;
      const to = range.endContainer === node ? range.endOffset : node.data.length;
      if (to <= from) continue;
      const here = t.closest('.sheet');
      if (page && here !== page) out = `${out.trimEnd()}\n`;
      page = here;
      out += node.data.slice(from, to).replace(/\u00AD$/, '');
      if (to === node.data.length) out += { none: '', line: '\n' }[t.dataset.then] ?? ' ';
    }
    if (!out) return;
    event.preventDefault();
    event.clipboardData.setData('text/plain', out.trim());
  });
}

// The pointer drags the page instead of selecting its text.

export function drag(pages) {
  let from = null;
  const scroller = (target) => {
    const slot = target.closest('.slot');
    return slot && slot.scrollHeight > slot.clientHeight + 1 || slot && slot.scrollWidth > slot.clientWidth + 1 ? slot : pages;
  };
  pages.addEventListener('pointerdown', (event) => {
    if (!pages.classList.contains('drags') || event.button !== 0 || event.pointerType === 'touch' || event.target.closest('a, button, input')) return;
    const element = scroller(event.target);
    from = { element, x: event.clientX, y: event.clientY, left: element.scrollLeft, top: element.scrollTop };
    pages.setPointerCapture(event.pointerId);
    pages.classList.add('held');
    event.preventDefault();
    pages.focus({ preventScroll: true });
  });
  pages.addEventListener('pointermove', (event) => {
    if (!from) return;
    from.element.scrollTo({ left: from.left + from.x - event.clientX, top: from.top + from.y - event.clientY, behavior: 'instant' });
  });
  for (const end of ['pointerup', 'pointercancel']) {
    pages.addEventListener(end, () => {
      from = null;
      pages.classList.remove('held');
    });
  }
}
