import { say } from './make.js';

// Copying: pieces of text as the server says they belong together. Each piece
// tells what stands behind it: a space unless said otherwise. What lies on pages
// that are not at hand is asked for while it is being selected.

const portion = 50; // pages that are asked for at once, as the server gives them
const mostAtHand = 2000; // pages whose text is asked for ahead of copying

const escaped = (text) => text.replace(/[&<>"]/g, (c) => `&#${c.charCodeAt()};`);

export function taking(reader) {
  const { pages, sheets, near, said } = reader;
  const selection = document.getSelection();
  const texts = new Map(); // page → text, once it is here
  const asked = new Set();
  let all = false;
  const number = (sheet) => Number(sheet.dataset.page);
  const sheetOf = (node) => (node?.nodeType === 1 ? node : node?.parentElement)?.closest('.sheet');

  /** Asks for the text of pages that is not at hand. */
  async function fetchTexts(from, to) {
    for (let n = from; n <= to && n < from + mostAtHand; n += portion) {
      const first = n - (n - 1) % portion;
      if (asked.has(first)) continue;
      asked.add(first);
      try {
        const answer = await near.ask(`taken/${near.mark}/${first}/${Math.min(first + portion - 1, sheets.length)}`);
        if (!answer.ok) throw new Error(answer.status);
        for (const { page, text } of await answer.json()) texts.set(page, text);
      } catch {
        asked.delete(first);
      }
    }
  }

  function span() {
    if (all) return [1, sheets.length];
    if (selection.isCollapsed || !selection.rangeCount || !pages.contains(selection.anchorNode)) return null;
    const ends = [selection.anchorNode, selection.focusNode].map(sheetOf).filter(Boolean).map(number);
    return ends.length ? [Math.min(...ends), Math.max(...ends)] : null;
  }

  document.addEventListener('selectionchange', () => {
    if (!selection.isCollapsed) choose(false);
    const [from, to] = span() ?? [];
    if (to > from + 1) fetchTexts(from + 1, to - 1);
  });

  function choose(yes) {
    if (all === yes) return;
    all = yes;
    pages.classList.toggle('all', yes);
    if (!yes) return;
    selection.removeAllRanges();
    said.textContent = say('taken_all');
    fetchTexts(1, sheets.length);
  }

  pages.addEventListener('keydown', (event) => {
    if ((event.ctrlKey || event.metaKey) && event.key === 'a') {
      event.preventDefault();
      choose(true);
    } else if (event.key === 'Escape') choose(false);
  });
  pages.addEventListener('pointerdown', () => choose(false));

  // A drag that begins on a link selects its letters: the link itself goes nowhere.
  const letterAt = ({ clientX: x, clientY: y }) => {
    const at = document.caretPositionFromPoint?.(x, y);
    return at?.offsetNode.parentElement?.closest('.layer text') && at;
  };
  pages.addEventListener('dragstart', (event) => { if (event.target.closest?.('.layer')) event.preventDefault(); });
  pages.addEventListener('pointerdown', (down) => {
    if (down.pointerType !== 'mouse' || down.button || !down.target.closest('.layer a')) return;
    const over = new AbortController();
    const { signal } = over;
    let from = null;
    addEventListener('mousedown', (event) => event.preventDefault(), { signal, once: true });
    addEventListener('pointermove', (move) => {
      if (!from) {
        if (Math.hypot(move.clientX - down.clientX, move.clientY - down.clientY) < 4) return;
        pages.classList.add('over-links'); // the letters below are hit
        from = letterAt(down);
        if (from) selection.collapse(from.offsetNode, from.offset);
      }
      const to = from && letterAt(move);
      if (to) selection.extend(to.offsetNode, to.offset);
    }, { signal });
    const end = (event) => {
      over.abort();
      if (pages.classList.contains('over-links') && event.type === 'pointerup') {
        const still = (click) => {
          click.preventDefault();
          click.stopPropagation();
        };
        addEventListener('click', still, { capture: true, once: true });
        setTimeout(() => removeEventListener('click', still, true)); // where none comes
      }
      pages.classList.remove('over-links');
    };
    for (const type of ['pointerup', 'pointercancel', 'blur']) addEventListener(type, end, { signal });
  });

  // Three presses select the paragraph, of which a piece is a line or less.
  pages.addEventListener('click', (event) => {
    const piece = event.detail === 3 && event.target.closest('.layer text');
    if (!piece) return;
    const ends = (t) => t.dataset.then === 'line';
    let from = piece;
    let to = piece;
    for (let t = piece.previousElementSibling; t && !ends(t); t = t.previousElementSibling) from = t;
    while (!ends(to) && to.nextElementSibling) to = to.nextElementSibling;
    selection.setBaseAndExtent(from.firstChild, 0, to.firstChild, to.firstChild.data.length);
  });

  /** The selected part of a page that is at hand. */
  function part(sheet, range) {
    let out = '';
    for (const t of sheet.querySelectorAll('.layer text')) {
      if (!range.intersectsNode(t)) continue;
      const node = t.firstChild;
      const from = range.startContainer === node ? range.startOffset : 0;
      const to = range.endContainer === node ? range.endOffset : node.data.length;
      if (to <= from) continue;
      out += node.data.slice(from, to).replace(/\u00AD$/, '');
      if (to === node.data.length) out += { none: '', line: '\n' }[t.dataset.then] ?? ' ';
    }
    return out.trim();
  }

  document.addEventListener('copy', (event) => {
    const chosen = span();
    if (!chosen || !(all || pages.contains(selection.anchorNode))) return;
    const [from, to] = chosen;
    const range = all ? null : selection.getRangeAt(0);
    const parts = [];
    for (let n = from; n <= to; n += 1) {
      // A page that is selected from end to end is read as a whole.
      const whole = all || n > from && n < to;
      const text = whole ? texts.get(n) : part(sheets[n - 1], range);
      if (text === undefined) {
        event.preventDefault();
        said.textContent = say('taken_late');
        fetchTexts(n, to);
        return;
      }
      if (text) parts.push(text);
    }
    if (!parts.length) return;
    event.preventDefault();
    const out = parts.join('\n');
    event.clipboardData.setData('text/plain', out);
    event.clipboardData.setData('text/html', out.split('\n').map((p) => `<p dir="auto">${escaped(p)}</p>`).join(''));
    if (to > from) said.textContent = say('taken', { from, to });
  });
}
