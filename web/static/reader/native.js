import { make } from './make.js';

// The browser's own search, where this document's is not given: the text of pages
// whose layer is not there stands unseen beside them, as until-found, and leads there
// when it is found.

const portion = 50; // pages that are asked for at once, as the server gives them
const mostPages = 2000;
const mostLetters = 8e6; // of all pages together

let done = null;

export function searchable(reader) {
  done ??= (async () => {
    const { sheets, near } = reader;
    const texts = new Map(); // page → its unseen text
    const box = make('div', { class: 'until', 'aria-hidden': 'true' });
    document.body.append(box);
    document.body.classList.add('searching'); // the same text is not found twice
    // Where a page's own layer is, it is what is found.
    reader.came.add((sheet) => {
      const page = Number(sheet.dataset.page);
      texts.get(page)?.remove();
      texts.delete(page);
    });
    let letters = 0;
    for (let from = 1; from <= Math.min(sheets.length, mostPages) && letters < mostLetters; from += portion) {
      const answer = await near.ask(`taken/${near.mark}/${from}/${Math.min(from + portion - 1, sheets.length)}`).catch(() => null);
      if (!answer?.ok) return;
      for (const { page, text } of await answer.json()) {
        letters += text.length;
        if (near.near.has(sheets[page - 1])) continue;
        const unseen = make('div', { hidden: 'until-found', onbeforematch: () => setTimeout(() => reader.go(page, false)) }, text);
        texts.set(page, unseen);
        box.append(unseen);
      }
    }
    box.dataset.whole = '';
  })();
  return done;
}
