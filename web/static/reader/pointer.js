// The pointer drags the page instead of selecting its text.

export function drag(pages) {
  let from = null;
  const scroller = (target) => {
    const slot = target.closest('.slot');
    return slot && slot.scrollHeight > slot.clientHeight + 1 || slot && slot.scrollWidth > slot.clientWidth + 1 ? slot : pages;
  };
  pages.addEventListener('pointerdown', (event) => {
    if (!pages.classList.contains('drags') || event.button !== 0 || event.pointerType === 'touch' ||
      event.target.closest('a, button, input')) return;
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
