import { say, num, read, make } from './make.js';

// Printing: all pages, the current one, or some. The pages are got ready in a
// view of their own, which prints itself.

export function fill(panel, reader) {
  const { sheets } = reader;
  const which = (value, label, ...more) => make('label', { class: 'option' }, make('input', { type: 'radio', name: 'print-which', value, checked: value === 'all' }), make('span', {}, label), ...more);
  const entry = make('input', { type: 'text', id: 'print-pages', autocomplete: 'off', 'aria-label': say('print_some'), placeholder: `1-${num(Math.min(3, sheets.length))}`, oninput: () => { panel.querySelector('[value=some]').checked = true; entry.removeAttribute('aria-invalid'); } });
  const here = make('span');
  const now = which('page', here);
  const status = make('p', { class: 'count', role: 'status' });
  const button = make('button', { type: 'submit', class: 'main' }, say('print'));
  const form = make('form', {}, which('all', say('print_all', { n: sheets.length })), now, which('some', say('print_some'), entry), button, status);
  panel.append(form);

  /** The pages asked for, in digits that the server reads, or null. */
  const chosen = () => {
    const value = form.elements['print-which'].value;
    if (value === 'all') return `1-${sheets.length}`;
    if (value === 'page') return String(reader.page);
    const parts = entry.value.split(/[,;،]/).filter((p) => p.trim()).map((p) => p.split(/[-–]/).map(read));
    const good = parts.length && parts.every(([a, b = a, ...rest]) => Number.isInteger(a) && Number.isInteger(b) && a >= 1 && b <= sheets.length && a <= b && !rest.length);
    return good ? parts.map((p) => p.join('-')).join(',') : null;
  };

  form.addEventListener('submit', (event) => {
    event.preventDefault();
    const pages = chosen();
    if (!pages) {
      entry.setAttribute('aria-invalid', 'true');
      status.textContent = say('bounds', { n: sheets.length });
      return entry.focus();
    }
    document.getElementById('printing')?.remove();
    status.textContent = say('printing');
    button.disabled = true;
    document.body.append(make('iframe', { id: 'printing', class: 'unseen', title: say('print_view'), tabindex: -1, src: `${reader.base}/print?pages=${pages}` }));
  });
  window.addEventListener('message', (event) => {
    if (event.origin !== location.origin || event.source !== document.getElementById('printing')?.contentWindow) return;
    const { printed, done, of } = event.data ?? {};
    if (typeof printed !== 'boolean') {
      if (of) status.textContent = say('printing_so_far', { n: done, all: of });
      return;
    }
    button.disabled = false;
    status.textContent = say(printed ? 'ready' : 'failed');
  });
  return {
    opened() {
      here.textContent = say('page', { n: reader.page });
      panel.querySelector('input').focus();
    },
    mark(page) { here.textContent = say('page', { n: page }); },
  };
}
