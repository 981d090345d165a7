import { make } from './make.js';

// The contents: the outline as a list in lists, with the current place marked.

export async function fill(panel, reader) {
  const nav = make('nav', { lang: reader.pages.lang, dir: 'auto' });
  panel.append(nav);
  const entries = await (await fetch(`${reader.base}/contents/${reader.mark}`)).json();
  const lists = [make('ol')];
  const links = [];
  for (const { title, level, page } of entries) {
    while (lists.length > level) lists.pop();
    while (lists.length < level) {
      const inner = make('ol');
      (lists.at(-1).lastElementChild ?? lists.at(-1).appendChild(make('li'))).append(inner);
      lists.push(inner);
    }
    const link = make('a', { href: `#page=${page}`, 'data-to': page }, title);
    lists.at(-1).append(make('li', {}, link));
    links.push(link);
  }
  nav.append(lists[0]);
  nav.addEventListener('click', (event) => {
    const link = event.target.closest('a');
    if (!link) return;
    event.preventDefault();
    reader.go(Number(link.dataset.to));
    reader.side.makeWay();
  });
  let here = null;
  const mark = (page) => {
    here?.removeAttribute('aria-current');
    here = links.findLast((l) => Number(l.dataset.to) <= page);
    here?.setAttribute('aria-current', 'location');
  };
  return {
    mark,
    opened() {
      mark(reader.page);
      (here ?? links[0]).focus();
      panel.scrollTop = (here?.offsetTop ?? 0) - panel.clientHeight / 3;
    },
  };
}
