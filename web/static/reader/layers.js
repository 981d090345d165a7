import { say, make, press } from './make.js';

// The layers of the document: each can be switched, on the pages that are read.

export async function fill(panel, reader) {
  const all = await (await fetch(`${reader.base}/layers/${reader.mark}`)).json();
  const boxes = all.map((l) => make('input', { type: 'checkbox', checked: l.on, onchange: () => show() }));
  const show = () => {
    const on = all.filter((_, i) => boxes[i].checked).map((l) => l.number);
    const same = all.every((l, i) => boxes[i].checked === l.on);
    reader.near.anew(same ? '' : `?layers=${on.join('.') || '-'}`);
  };
  panel.append(...all.map((l, i) => make('label', { class: 'option' }, boxes[i], make('bdi', {}, l.name))), press('plain', say('layers_first'), () => {
    for (const [i, l] of all.entries()) boxes[i].checked = l.on;
    show();
  }));
  return { opened: () => boxes[0].focus() };
}
