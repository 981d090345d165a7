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
