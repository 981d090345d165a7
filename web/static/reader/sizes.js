import { say, num, read, make, press } from './make.js';
import { least, most } from './zoom.js';

// The size of the pages: a figure, or what it should fit.

export function fill(panel, reader) {
  const { zoom } = reader;
  const entry = make('input', { type: 'text', inputmode: 'numeric', id: 'percent', autocomplete: 'off', 'aria-label': say('size_entry') });
  const status = make('p', { class: 'count', role: 'status' });
  const choice = (name, deed) => press('plain', say(name), () => { deed(); show(); });
  const show = () => { if (document.activeElement !== entry) entry.value = num(zoom.percent); };
  panel.append(make('form', { onsubmit: (event) => {
    event.preventDefault();
    const value = read(entry.value.replace('%', ''));
    if (!(value >= least && value <= most)) {
      entry.setAttribute('aria-invalid', 'true');
      status.textContent = say('size_bounds', { low: least, high: most });
      return;
    }
    entry.removeAttribute('aria-invalid');
    status.textContent = '';
    zoom.at(value);
  } }, make('label', { class: 'option' }, entry, make('span', {}, '%'))), status,
  choice('opening', () => zoom.at(null)), choice('fit_width', () => zoom.fit('width')), choice('fit_page', () => zoom.fit('page')), choice('true_size', () => zoom.fit('true')));
  reader.resized.add(show);
  return { opened() { entry.value = num(zoom.percent); entry.focus(); entry.select(); } };
}
