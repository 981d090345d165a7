import { say, make, shut } from './make.js';

/** Lists the keys that do something here. */
export function keys(list, letters) {
  const dialog = make('dialog', { class: 'keys', 'aria-label': say('keys') }, make('h2', {}, say('keys')),
    ...list.map(([key, deed]) => make('p', {}, make('kbd', {}, key), say(deed))),
    make('label', { class: 'option' }, make('input', { type: 'checkbox', checked: letters.on,
      onchange: (event) => { letters.on = event.target.checked; } }), say('keys_letters')), shut(() => dialog.close()));
  dialog.addEventListener('close', () => dialog.remove());
  dialog.addEventListener('click', (event) => { if (event.target === dialog) dialog.close(); });
  document.body.append(dialog);
  dialog.showModal();
}
