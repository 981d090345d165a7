// The desk's entry: registers what the screens are made of and starts Alpine.
import Alpine from '../vendor/alpine/alpine-csp.min.js';
import { documents } from './documents.js';
import { bench } from './bench.js';
import { house } from './house.js';
import { starters } from './starters.js';

Alpine.data('documents', documents);
Alpine.data('bench', bench);
Alpine.data('house', house);
Alpine.data('starters', starters);
Alpine.start();

// "/" goes to the search field, where there is one.
document.addEventListener('keydown', (event) => {
  if (event.key !== '/' || /INPUT|TEXTAREA|SELECT/.test(event.target.tagName)) return;
  const field = document.querySelector('[data-key="/"]');
  if (!field) return;
  event.preventDefault();
  field.focus();
});
