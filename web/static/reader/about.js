import { say, num, bytes, day } from './words.js';
import { make } from './make.js';

// What is known of the document, and the files inside it.

const millimetres = (points) => Math.round((points * 25.4) / 72);

export async function fill(panel, reader) {
  const a = await (await fetch(`${reader.base}/about/${reader.mark}`)).json();
  const list = make('dl', { class: 'facts' });
  const fact = (name, value) => { if (value) list.append(make('dt', {}, say(name)), make('dd', {}, value)); };
  const size = say('about_mm', { w: millimetres(a.width), h: millimetres(a.height) });
  fact('about_title', make('bdi', {}, a.title));
  fact('about_author', a.author && make('bdi', {}, a.author));
  fact('about_subject', a.subject && make('bdi', {}, a.subject));
  fact('about_created', a.created && day(a.created));
  fact('about_changed', a.changed && day(a.changed));
  fact('about_pages', num(a.pages));
  fact('about_size', a.mixed ? say('about_mixed', { size }) : size);
  fact('about_bytes', bytes(a.bytes));
  fact('about_edition', num(a.edition));
  fact('about_tagged', say(a.tagged ? 'yes' : 'no'));
  fact('about_licence', a.licence && make('a', { href: a.licence, target: '_blank', rel: 'noopener noreferrer license' }, a.licence));
  panel.append(list);
  if (a.attached.length) {
    panel.append(make('h3', {}, say('about_attached')), make('ul', { class: 'attached' }, ...a.attached.map((f) =>
      make('li', {}, make('a', { href: f.address, download: f.name }, make('bdi', {}, f.name)), ` ${bytes(f.bytes)}`, f.about ? make('p', {}, make('bdi', {}, f.about)) : ''))));
  }
  return { opened: () => panel.querySelector('.shut').focus() };
}
