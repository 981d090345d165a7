import { say, num, bytes, day, make } from './make.js';

// What is known of the document, and the files inside it.

const millimetres = (points) => Math.round((points * 25.4) / 72);

export async function fill(panel, reader) {
  const a = await (await fetch(`${reader.base}/about/${reader.mark}`)).json();
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
  fact('licence', a.licence && make('a', { href: a.licence, target: '_blank', rel: 'noopener noreferrer license' }, a.licence));
  panel.append(list);
  if (a.attached.length) {
    panel.append(make('h3', {}, say('about_attached')), make('ul', { class: 'attached' }, ...a.attached.map((f) =>
      make('li', {}, make('a', { href: f.address, download: f.name }, make('bdi', {}, f.name)), ` ${bytes(f.bytes)}`, f.about ? make('p', {}, make('bdi', {}, f.about)) : ''))));
  }
  return { opened: () => panel.querySelector('.shut').focus() };
}
