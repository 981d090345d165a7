import { say, num, bytes, day, read, make, press } from './make.js';
import { least, most } from './zoom.js';

// The small panels: the document's facts, its layers, a link to a
// place, the size of the pages, taking the file.

const millimetres = (points) => Math.round((points * 25.4) / 72);
const listed = async (reader, what) => (await fetch(`${reader.base}/${what}/${reader.mark}`)).json();

/** What is known of the document, and the files inside it. */
export async function about(panel, reader) {
  const a = await listed(reader, 'about');
  const list = make('dl', { class: 'facts' });
  const fact = (name, value) => { if (value) list.append(make('dt', {}, say(`about_${name}`)), make('dd', {}, value)); };
  const size = say('about_mm', { w: millimetres(a.width), h: millimetres(a.height) });
  for (const name of ['title', 'author', 'subject']) fact(name, a[name] && make('bdi', {}, a[name]));
  for (const name of ['created', 'changed']) fact(name, a[name] && day(a[name]));
  fact('pages', num(a.pages));
  fact('size', a.mixed ? say('about_mixed', { size }) : size);
  fact('bytes', bytes(a.bytes));
  fact('edition', num(a.edition));
  fact('tagged', say(a.tagged ? 'yes' : 'no'));
  const terms = make('bdi', {}, a.terms);
  fact('licence', a.licence ? make('a', { href: a.licence, target: '_blank', rel: 'noopener noreferrer license' }, terms) :
    a.terms && terms);
  panel.append(list);
  if (parent !== window && !reader.base.includes('~')) panel.append(make('p', {},
    make('a', { href: reader.addressNow(), target: '_blank', rel: 'noopener', 'aria-label': `${say('own_window')}: ${document.title}` },
      say('own_window'))));
  if (a.attached.length) {
    panel.append(make('h3', {}, say('about_attached')), make('ul', { class: 'attached' }, ...a.attached.map((f) =>
      make('li', {}, make('a', { href: f.address, download: f.name }, make('bdi', {}, f.name)), ` ${bytes(f.bytes)}`,
        f.about ? make('p', {}, make('bdi', {}, f.about)) : ''))));
  }
  return { opened: () => panel.querySelector('.shut').focus() };
}

/** Each layer can be switched, on the pages that are read. */
export async function layers(panel, reader) {
  const all = await listed(reader, 'layers');
  const boxes = all.map((l) => make('input', { type: 'checkbox', checked: l.on, onchange: () => show() }));
  const show = () => {
    const on = all.filter((_, i) => boxes[i].checked).map((l) => l.number);
    const same = all.every((l, i) => boxes[i].checked === l.on);
    reader.near.anew(same ? '' : `?layers=${on.join('.') || '-'}`);
  };
  panel.append(...all.map((l, i) => make('label', { class: 'option' }, boxes[i], make('bdi', {}, l.name))),
    press('plain', say('layers_first'), () => {
    for (const [i, l] of all.entries()) boxes[i].checked = l.on;
    show();
  }));
  return { opened: () => boxes[0].focus() };
}

/** The address of the place that is read, to copy. Where the frame may not write
    to the clipboard, the address is there to be taken by hand. */
export function link(panel, reader) {
  const address = make('input', { type: 'text', readonly: true, id: 'address', 'aria-label': say('link_address'),
    onfocus: () => address.select() });
  const status = make('p', { class: 'count', role: 'status' });
  const copy = async () => {
    address.focus();
    address.select();
    try {
      await navigator.clipboard.writeText(address.value);
    } catch {
      if (!document.execCommand('copy')) {
        status.textContent = say('link_by_hand');
        return;
      }
    }
    status.textContent = say('link_copied');
  };
  panel.append(address, make('p', {}, press('main', say('link_copy'), copy)), status);
  const mark = () => { address.value = reader.addressNow(); };
  return { mark, opened() { mark(); status.textContent = ''; address.focus(); } };
}

/** A figure, or what the pages should fit. */
export function sizes(panel, reader) {
  const { zoom } = reader;
  const entry = make('input', { type: 'text', inputmode: 'numeric', id: 'percent', autocomplete: 'off', 'aria-label': say('size_entry') });
  const status = make('p', { class: 'count', role: 'status' });
  const choice = (name, deed) => press('plain', say(name), () => { deed(); show(); reader.side.makeWay(); });
  const show = () => { if (document.activeElement !== entry) entry.value = num(zoom.percent); };
  panel.append(make('form', { onsubmit: (event) => {
    event.preventDefault();
    const value = read(entry.value.replace('%', ''));
    const good = value >= least && value <= most;
    entry.setAttribute('aria-invalid', !good);
    status.textContent = good ? '' : say('size_bounds', { low: least, high: most });
    if (!good) return;
    zoom.at(value);
    reader.side.makeWay();
  } }, make('label', { class: 'option' }, entry, make('span', {}, '%'))), status,
  choice('opening', () => zoom.at(null)), choice('fit_width', () => zoom.fit('width')), choice('fit_page', () => zoom.fit('page')),
    choice('true_size', () => zoom.fit('true')));
  // In the dark, pages may be light on dark.
  if (getComputedStyle(document.documentElement).colorScheme === 'dark' || matchMedia('(prefers-color-scheme: dark)').matches) {
    const dim = make('input', { type: 'checkbox', id: 'dim', checked: document.body.matches('.dims, .dim-dark'),
      onchange: () => import('./dim.js').then(({ wish }) => wish(reader, dim.checked)) });
    panel.append(make('label', { class: 'option' }, dim, say('dim')));
  }
  reader.resized.add(show);
  return { opened() { entry.value = num(zoom.percent); entry.focus(); entry.select(); } };
}

/** Taking the file, or the page that is read as a file of its own. */
export function take(panel, reader) {
  const whole = make('a', { class: 'main', download: '', href: `${reader.base}/file` }, say('take_file'));
  const leaf = make('a', { class: 'plain', download: '' });
  const mark = (page) => {
    leaf.href = `${reader.base}/leaf/${reader.mark}/${page}`;
    leaf.textContent = say('take_page', { n: page });
  };
  panel.append(make('p', {}, whole));
  if (!reader.near.opens) panel.append(make('p', {}, leaf));
  return { mark, opened() { mark(reader.page); whole.focus(); } };
}
