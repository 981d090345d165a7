import { say, num, make } from './make.js';

// Printing: all pages, the current one, or some. They are got ready in a frame
// of their own, and printed from there. Which pages some are is read by the
// server.

export function fill(panel, reader) {
  const { near, sheets } = reader;
  const which = (value, label, ...more) => make('label', { class: 'option' },
    make('input', { type: 'radio', name: 'print-which', value, checked: value === 'all' }), make('span', {}, label), ...more);
  const entry = make('input', { type: 'text', id: 'print-pages', autocomplete: 'off', maxlength: 200, 'aria-label': say('print_some'),
    placeholder: `1-${num(Math.min(3, sheets.length))}`,
      oninput: () => { form.elements['print-which'].value = 'some'; entry.removeAttribute('aria-invalid'); } });
  const here = make('span');
  const status = make('p', { class: 'count', role: 'status' });
  const button = make('button', { type: 'submit', class: 'main' }, say('print'));
  const form = make('form', {}, which('all', say('print_all', { n: sheets.length })), which('page', here),
    which('some', say('print_some'), entry), button, status);
  panel.append(form);

  async function print({ target: frame }) {
    const images = [...frame.contentDocument?.images ?? []];
    let done = 0;
    const arrived = await Promise.all(images.map(async (img) => {
      if (near.opens) await near.source(img, `page/${reader.mark}/${img.dataset.page}/2400`);
      // That it came counts: browsers do not hold many large pictures decoded.
      if (!img.complete) await new Promise((came) => { img.onload = img.onerror = came; });
      const whole = img.naturalWidth > 0;
      status.textContent = say('printing_so_far', { n: ++done, all: images.length });
      return whole;
    }));
    button.disabled = false;
    if (images.length) {
      const all = arrived.every(Boolean);
      status.textContent = say(all ? 'ready' : 'failed');
      if (all) frame.contentWindow.print();
    } else if (frame.contentDocument && form.elements['print-which'].value === 'some') {
      entry.setAttribute('aria-invalid', 'true');
      status.textContent = say('bounds', { n: sheets.length });
      entry.focus();
    } else status.textContent = say('failed');
  }

  form.addEventListener('submit', (event) => {
    event.preventDefault();
    document.getElementById('printing')?.remove();
    status.textContent = say('printing');
    button.disabled = true;
    const pages = { all: '', page: reader.page, some: entry.value.trim() || '-' }[form.elements['print-which'].value];
    document.body.append(make('iframe', { id: 'printing', class: 'unseen', title: say('print_view'), tabindex: -1,
      src: `${reader.base}/print?pages=${encodeURIComponent(pages)}`, onload: print }));
  });
  const mark = (page) => { here.textContent = say('page', { n: page }); };
  return {
    mark,
    opened() {
      mark(reader.page);
      panel.querySelector('input').focus();
    },
  };
}
