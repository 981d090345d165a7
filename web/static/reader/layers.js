import { say } from './words.js';
import { make } from './make.js';

// The layers of the document: each can be switched, on the pages that are read.

export async function fill(panel, reader) {
  const all = await (await fetch(`${reader.base}/layers/${reader.mark}`)).json();
  const boxes = all.map((l) => make('input', { type: 'checkbox', checked: l.on, onchange: () => show() }));
  const show = () => {
    const on = all.filter((_, i) => boxes[i].checked).map((l) => l.number);
    const same = all.every((l, i) => boxes[i].checked === l.on);
    reader.near.anew(same ? '' : `?layers=${on.join('.') || '-'}`);
  };
  panel.append(...all.map((l, i) => make('label', { class: 'option' }, boxes[i], make('bdi', {}, l.name))), make('button', { type: 'button', class: 'plain', onclick: () => {
    for (const [i, l] of all.entries()) boxes[i].checked = l.on;
    show();
  } }, say('layers_first')));
  return { opened: () => boxes[0].focus() };
}
