// Choosing among more than a list holds: those changed last are offered, and a field
// beside them finds others by words of their title.
import { ask, pause } from './ask.js';

function make(name, attributes, text = '') {
  const e = document.createElement(name);
  for (const [key, value] of Object.entries(attributes)) e.setAttribute(key, value);
  e.textContent = text;
  return e;
}

/** Adds the field to a select that offers fewer than there are: known are at hand, of which
    shown are in the list, without the one that stands for none. take(rows) is given what was found; without it the options
    become that. */
export function offers(select, take, known = select.options.length - 1, shown = known) {
  const { offers: kind, all } = select.dataset;
  if (!(Number(all) > known)) return;
  const first = select.options[0];
  const words = make('input', { type: 'search', maxlength: 100, placeholder: 'words of its title',
    'aria-label': 'Find one by words of its title' });
  const said = make('small', { class: 'soft', role: 'status' },
    `${shown} of ${all} are in the list: those changed last${kind === 'placements' ? ', and those you used' : ''}. Find others by their title:`);
  let asked = 0;
  words.addEventListener('input', async () => {
    const turn = asked += 1;
    await pause(250);
    if (turn !== asked) return;
    try {
      const found = await ask('GET', `/offers/${kind}?find=${encodeURIComponent(words.value.trim())}`);
      if (turn !== asked) return;
      const { rows } = found;
      if (take) take(rows);
      else {
        const chosen = select.selectedOptions[0] ?? first;
        const kept = chosen !== first && !rows.some((r) => String(r.id) === chosen.value) ? [chosen] : [];
        select.replaceChildren(first, ...kept, ...rows.map((r) => make('option', { value: r.id },
          r.published ? r.title : `${r.title} (not published)`)));
        select.value = chosen.value;
        select.dispatchEvent(new CustomEvent('offered', { detail: rows }));
      }
      const n = rows.length;
      said.textContent = n === 0 ? 'No title has these words.' : n < found.all ? `${n} of ${found.all} with these words are in the list.` :
        n === 1 ? 'One is in the list.' : `${n} are in the list.`;
    } catch (refused) {
      said.textContent = refused.message;
    }
  });
  const offer = make('span', { class: 'offer' });
  offer.append(said, words);
  select.closest('.pair').after(offer);
}
