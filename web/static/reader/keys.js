import { say, make } from './make.js';

/** Lists the keys that do something here. */
export function keys(list) {
  const dialog = make('dialog', { class: 'keys', 'aria-label': say('keys') }, make('h2', {}, say('keys')), ...list.map(([key, deed]) => make('p', {}, make('kbd', {}, key), say(deed))));
  dialog.addEventListener('close', () => dialog.remove());
  dialog.addEventListener('click', () => dialog.close());
  document.body.append(dialog);
  dialog.showModal();
}
