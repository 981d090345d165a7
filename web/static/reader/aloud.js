import { make } from './make.js';
import { unit } from './flow.js';

// What reads pages aloud finds the text of every page behind its picture, in its
// structure and its order: headings, paragraphs, lists, tables. It comes in portions,
// those about the page that is read first, while nobody waits for anything else.

const portion = 10; // pages, as the server gives them
const most = 30; // portions that are kept
const [soon, later] = [300, 6000]; // ms, until the next portion is asked for
const about = 3; // portions before and behind the page that is read, of a longer document

const idle = (deed) => (window.requestIdleCallback ?? ((f) => setTimeout(f, 200)))(deed, { timeout: 2000 });

/** Takes out what belongs to the text view alone, and what a keyboard would stop at
    unseen. */
function plain(node) {
  for (const e of [node, ...node.querySelectorAll('*')]) {
    e.removeAttribute('id');
    e.removeAttribute('class');
    if (e.matches('a')) e.tabIndex = -1;
    if (e.dataset.to) {
      e.dataset.page = e.dataset.to;
      e.setAttribute('href', `#page=${e.dataset.to}`);
      delete e.dataset.to;
    }
  }
  for (const a of node.querySelectorAll('a[role]')) a.replaceWith(...a.childNodes);
  for (const svg of node.querySelectorAll('svg')) svg.replaceWith(make('span',
    { role: 'img', 'aria-label': svg.getAttribute('aria-label') ?? svg.querySelector('title')?.textContent ?? '' }));
  return node;
}

export function aloud(reader) {
  const { sheets, near } = reader;
  const parts = Math.ceil(sheets.length / portion);
  const state = new Map(); // portion -> asked for
  const partOf = (page) => Math.floor((page - 1) / portion);

  async function fill(part) {
    const answer = await near.ask(`flow/${near.mark}/${part * portion + 1}?when=there`).catch(() => null);
    // It is being read, or the server is away: it is asked for again, after a while.
    if (answer?.status === 204 || !answer) {
      state.delete(part);
      return later;
    }
    if (answer.status !== 200) return soon;
    const { body } = new DOMParser().parseFromString(await answer.text(), 'text/html');
    const texts = new Map();
    let page = part * portion + 1;
    for (const block of [...body.children]) {
      const marks = block.matches('a.mark') ? [block] : [...block.querySelectorAll('a.mark')];
      if (marks.length && !marks[0].previousSibling) page = Number(marks[0].dataset.leaf);
      const stands = page;
      if (marks.length) page = Number(marks.at(-1).dataset.leaf);
      for (const m of marks) m.remove();
      if (!texts.has(stands)) texts.set(stands, []);
      if (block.textContent.trim() || block.querySelector('svg')) texts.get(stands).push(plain(block));
    }
    for (const [n, blocks] of texts) {
      const sheet = sheets[n - 1];
      if (!sheet || sheet.querySelector('.aloud')) continue;
      // What is not laid out is read by nobody.
      unit(sheet.parentElement).classList.remove('far');
      sheet.append(make('div', { class: 'aloud' }, ...blocks));
    }
    return soon;
  }

  let running = false;
  function next() {
    if (running) return;
    const here = partOf(reader.page);
    const wanted = [...Array(parts).keys()].filter((p) => !state.has(p) &&
      (parts <= most || Math.abs(p - here) <= about)).sort((a, b) => Math.abs(a - here) - Math.abs(b - here));
    if (!wanted.length) return;
    // Those that are far off make room.
    if (state.size >= most) {
      const [far] = [...state.keys()].sort((a, b) => Math.abs(b - here) - Math.abs(a - here));
      state.delete(far);
      for (let n = far * portion; n < (far + 1) * portion; n += 1) sheets[n]?.querySelector('.aloud')?.remove();
      near.leaving.add(unit(sheets[far * portion].parentElement));
    }
    running = true;
    state.set(wanted[0], true);
    idle(async () => {
      const rest = await fill(wanted[0]);
      setTimeout(() => {
        running = false;
        next();
      }, document.hidden ? later : rest);
    });
  }
  // Who leafs on is not read to.
  let rests;
  reader.turned.add(() => {
    clearTimeout(rests);
    rests = setTimeout(next, 800);
  });
  next();
}
