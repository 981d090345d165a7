// The desk's entry: registers what the screens are made of and starts Alpine.
import Alpine from '../vendor/alpine/alpine-csp.min.js';
import { documents } from './documents.js';
import { bench } from './bench.js';
import { house } from './house.js';
import { starters } from './starters.js';
import { ways } from './ways.js';
import { collection } from './collection.js';
import { webpage } from './webpage.js';
import { siteframe, history, sure } from './siteframe.js';
import { recognition } from './recognition.js';
import { dossier, edition, from } from './dossier.js';

// The focus goes as the eye does: findings stand before the stage, on narrow screens
// below it.
const narrow = matchMedia('(max-width: 1000px)');
const [margin, stage] = ['.boards > .margin', '.boards > .stage'].map((which) => document.querySelector(which));
const order = () => (narrow.matches ? stage.after(margin) : stage.parentElement.prepend(margin));
if (stage && margin) {
  order();
  narrow.addEventListener('change', order);
}

Alpine.data('documents', documents);
Alpine.data('bench', bench);
Alpine.data('house', house);
Alpine.data('starters', starters);
Alpine.data('ways', ways);
Alpine.data('collection', collection);
Alpine.data('webpage', webpage);
Alpine.data('siteframe', siteframe);
Alpine.data('history', history);
Alpine.data('sure', sure);
Alpine.data('dossier', dossier);
Alpine.data('edition', edition);
Alpine.data('from', from);
Alpine.data('recognition', recognition);
Alpine.start();

// A browser that shows no images tells nobody: one that needs no line is tried.
const tried = new Image();
tried.src = 'data:image/gif;base64,R0lGODlhAQABAAAAACwAAAAAAQABAAA=';
setTimeout(() => { document.getElementById('imagesOff')?.toggleAttribute('hidden', tried.complete); }, 2000);

// Code that can be copied stands beside its button.
document.addEventListener('click', async (event) => {
  const button = event.target.closest('[data-copies]');
  if (!button) return;
  const field = document.getElementById(button.dataset.copies);
  const said = button.parentElement.querySelector('[role=status]');
  try {
    await navigator.clipboard.writeText(field.value);
    said.textContent = 'Copied';
  } catch {
    field.select();
    said.textContent = 'Press Ctrl+C to copy';
  }
});

// "/" goes to the search field, where there is one.
document.addEventListener('keydown', (event) => {
  if (event.key !== '/' || /INPUT|TEXTAREA|SELECT/.test(event.target.tagName)) return;
  const field = document.querySelector('[data-key="/"]');
  if (!field) return;
  event.preventDefault();
  field.focus();
});
