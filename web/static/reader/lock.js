import { say, make } from './make.js';

// A document that asks for a password: it is sent once, and what comes back is
// shown with every request for a page. Both are forgotten with the visit.

export async function unlock(reader, view) {
  // The stage is loaded anew with each change: there it is asked for once in a visit.
  const staged = reader.base.startsWith('/stage/') ? `opened ${reader.mark}` : '';
  const kept = staged && sessionStorage.getItem(staged);
  // A seal ends, and with the server's key: one that opens nothing is asked for anew.
  const opens = kept && await fetch(`${reader.base}/links/${reader.mark}/1`, { headers: { 'Incipit-Opened': kept } }).catch(() => null);
  if (opens?.ok) return kept;
  return new Promise((done) => {
    const entry = make('input', { type: 'password', id: 'password', autocomplete: 'off', maxlength: 200, 'aria-label': say('password'),
      'aria-describedby': 'lock-said' });
    const status = make('p', { class: 'count', role: 'alert', id: 'lock-said' });
    const form = make('form', { class: 'lock', 'aria-label': say('password_title') }, make('h2', {}, say('password_title')),
      make('p', {}, say('password_text')),
      make('div', { class: 'ask' }, entry, make('button', { type: 'submit', class: 'main' }, say('password_open'))), status);
    form.addEventListener('submit', async (event) => {
      event.preventDefault();
      status.textContent = '';
      try {
        const answer = await fetch(`${reader.base}/open`,
          { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: JSON.stringify({ password: entry.value }) });
        if (answer.ok) {
          const { seal } = await answer.json();
          form.remove();
          if (staged) sessionStorage.setItem(staged, seal);
          if (document.hasFocus()) reader.pages.focus({ preventScroll: true });
          done(seal);
          return;
        }
        status.textContent = say(answer.status === 429 ? 'busy_text' : 'password_wrong');
      } catch {
        status.textContent = say('server_away');
      }
      entry.value = '';
      entry.focus();
    });
    view.append(form);
    // In somebody's page it does not take the focus from where it is.
    if (parent === window || document.hasFocus()) entry.focus({ preventScroll: true });
  });
}
