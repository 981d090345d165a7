import { say, make, press } from './make.js';

// The outline as a list in lists. Long ones begin folded, but for the way to where
// reading is. What leads out of the file, or nowhere, says so.

const long = 40; // entries

export async function contents(panel, reader) {
  const nav = make('nav', { lang: reader.pages.lang, dir: 'auto' });
  panel.append(nav);
  const entries = await (await fetch(`${reader.base}/contents/${reader.mark}`)).json();
  const lists = [make('ol')];
  const links = [];
  const open = (li, on) => {
    const button = li.querySelector(':scope > .fold');
    button?.setAttribute('aria-expanded', String(on));
    if (button) li.lastElementChild.hidden = !on;
  };
  for (const { title, level, page, top, zoom, to, folded } of entries) {
    while (lists.length > level) lists.pop();
    while (lists.length < level) {
      const inner = make('ol');
      const li = lists.at(-1).lastElementChild ?? lists.at(-1).appendChild(make('li'));
      const name = li.querySelector('a')?.textContent ?? '';
      li.prepend(press('fold', '', () => open(li, li.firstElementChild.ariaExpanded !== 'true'),
        { 'aria-label': say('parts', { n: name }), title: say('parts', { n: name }) }));
      li.append(inner);
      open(li, entries.length <= long && li.dataset.folded === undefined);
      lists.push(inner);
    }
    const link = make('a', page ? { href: `#page=${page}` } : { href: '#', 'data-beyond': to ?? 'none' }, title);
    link.place = page && { page, top, zoom };
    lists.at(-1).append(make('li', { 'data-folded': folded }, link));
    if (page) links.push(link);
  }
  nav.append(lists[0]);
  nav.addEventListener('click', (event) => {
    const link = event.target.closest('a');
    if (!link?.place) return;
    event.preventDefault();
    reader.leap(link.place);
    mark(reader.page);
    reader.side.makeWay();
  });
  // As in trees elsewhere, arrows open and shut: to the side to which it is written.
  nav.addEventListener('keydown', (event) => {
    const li = event.target.closest('li');
    const side = { ArrowLeft: document.dir === 'rtl', ArrowRight: document.dir !== 'rtl' }[event.key];
    if (side === undefined || !li) return;
    event.preventDefault();
    const fold = li.querySelector(':scope > .fold');
    const shut = fold?.ariaExpanded === 'false';
    if (side === shut && fold) open(li, side);
    else (side ? fold && li.querySelector('ol a') : li.parentElement.closest('li')?.querySelector(':scope > a'))?.focus();
  });
  let here = null;
  const mark = (page) => {
    here?.removeAttribute('aria-current');
    // On the page itself, what stands at or above the line that is read.
    const sheet = reader.sheets[page - 1];
    const read = (reader.placeNow().part + 0.13) * reader.zoom.property('--h', sheet) / reader.zoom.factor(sheet);
    const before = (place) => place.page < page || (place.page === page && (place.top ?? 0) <= read);
    here = links.findLast((l) => before(l.place)) ?? links.find((l) => l.place.page === page);
    here?.setAttribute('aria-current', 'location');
    for (let li = here?.closest('li'); li; li = li.parentElement.closest('li')) open(li, true);
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
