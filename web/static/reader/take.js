import { say, make } from './make.js';

// Taking the file, or the page that is read as a file of its own.

export const title = 'download';

export function fill(panel, reader) {
  const whole = make('a', { class: 'main', href: `${reader.base}/file`, download: '' }, say('take_file'));
  const leaf = make('a', { class: 'main', download: '' });
  const mark = (page) => {
    leaf.href = `${reader.base}/leaf/${reader.mark}/${page}`;
    leaf.textContent = say('take_page', { n: page });
  };
  panel.append(make('p', {}, whole));
  if (!reader.near.opens) panel.append(make('p', {}, leaf));
  return { mark, opened() { mark(reader.page); whole.focus(); } };
}
