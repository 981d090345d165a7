// Adding a document where one is chosen, without leaving what is being made.
import { send } from './ask.js';
import { cutOff } from './cutoff.js';

const button = (text) => Object.assign(document.createElement('button'), { type: 'button', className: 'aslink', textContent: text });

/** Puts the way to add a document below a select that offers some. took(offer) is given what
    was made of it: a placement of its own. */
export function addHere(select, took) {
  const file = Object.assign(document.createElement('input'), { type: 'file', accept: 'application/pdf,.pdf', hidden: true });
  const start = button('Add one from this machine');
  const stop = button('Cancel');
  const far = document.createElement('progress');
  const said = document.createElement('small');
  said.setAttribute('aria-live', 'polite');
  far.max = 100;
  far.ariaLabel = 'The file on its way';
  const going = (is) => {
    start.hidden = is;
    stop.hidden = !is;
    far.hidden = !is;
  };
  going(false);
  start.addEventListener('click', () => file.click());
  file.addEventListener('change', async () => {
    const [picked] = file.files;
    file.value = '';
    if (!picked) return;
    const form = new FormData();
    form.append('file', picked);
    said.className = 'soft';
    said.textContent = `${picked.name} is on its way.`;
    far.value = 0;
    going(true);
    stop.focus();
    let offer;
    try {
      offer = await send('/offers/placements', form, {
        progress: (done) => {
          far.value = done;
          if (done === 100) said.textContent = 'It is being looked at.';
        },
        started: (request) => { stop.onclick = () => request.abort(); },
      });
      said.textContent = `${offer.title} was added. Readers see it once it is published on its bench.`;
    } catch (refused) {
      said.className = 'said must';
      said.textContent = refused.said?.message ? refused.message : cutOff(refused.status, picked.size) ?? refused.message;
    }
    going(false);
    start.focus();
    if (offer) took(offer);
  });
  const here = document.createElement('span');
  here.className = 'offer addhere';
  here.append(file, start, far, stop, said);
  select.closest('.set').append(here);
}
