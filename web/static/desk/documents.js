// The documents screen: files on their way, the list kept current while they are examined,
// narrowing it, renaming in place.
import { adding } from './adding.js';
import { ask, pause } from './ask.js';
import { chosen } from './chosen.js';
import { musts } from './musts.js';
import { request } from './session.js';

export const documents = () => ({
  trouble: '', ...adding, ...chosen, ...musts, drawn: '', watching: false,

  init() {
    document.getElementById('rows').addEventListener('click', (event) => {
      const rename = event.target.closest('[data-rename]');
      const remove = event.target.closest('[data-remove]');
      if (rename) this.rename(rename.closest('tr'));
      const own = event.target.closest('[data-own]');
      if (own) this.titled(own.closest('tr'), own.dataset.own);
      if (remove) this.remove([Number(remove.closest('tr').dataset.id)]);
    });
    document.querySelector('.heldlists').addEventListener('click', (event) => {
      const gone = event.target.closest('[data-letgo]');
      if (gone) this.letGo(gone);
    });
    if (document.getElementById('find').value) document.title = `${document.getElementById('find').value} – ${document.title}`;
    this.watch();
    this.goOn();
  },

  // The list.
  /** What is chosen holds at once; words wait for Enter. */
  narrow() { document.getElementById('wanted').requestSubmit(); },
  async keepView(event) {
    try {
      const answer = await request('/documents/views', {
        method: 'POST', body: new URLSearchParams([...new FormData(event.target)].map(([k, v]) => [k, String(v)])), headers: { Accept: 'application/json' },
      });
      if (!answer.ok) throw new Error((await answer.json()).message);
      location.reload();
    } catch (refused) { this.trouble = refused.message; }
  },
  async letGo(button) {
    try {
      await ask('POST', `/documents/views/${button.dataset.letgo}/remove`);
      button.closest('.keptone').remove();
      document.getElementById('find').focus();
    } catch (refused) { this.trouble = refused.message; }
  },
  async refresh() {
    const answer = await fetch(`/documents/rows${location.search}`);
    if (!answer.ok || answer.redirected) return;
    const next = await answer.text();
    if (next === this.drawn) return;
    this.drawn = next;
    // Who is at a button while documents are read stays at it.
    const at = document.activeElement?.closest('#rows [data-id]');
    const which = at ? [...at.querySelectorAll('a, button, input')].indexOf(document.activeElement) : -1;
    document.getElementById('rows').innerHTML = next;
    if (which >= 0) [...document.querySelectorAll(`[data-id="${at.dataset.id}"] :is(a, button, input)`)][which]?.focus({ preventScroll: true });
    this.ticked();
  },
  reading() { return document.querySelector('.docs')?.dataset.reading === 'true'; },
  async watch() {
    if (this.watching) return;
    this.watching = true;
    while (this.reading()) {
      await pause(700);
      if (!document.querySelector('.retitle')) await this.refresh().catch(() => {});
    }
    this.watching = false;
  },
  retitle(row, title) {
    return request(`/documents/${row.dataset.id}/title`, {
      method: 'POST', body: new URLSearchParams({ title }),
        headers: { Accept: 'application/json', 'X-CSRF-Token': document.querySelector('meta[name=csrf]').content },
    });
  },
  /** Takes the title that the file carries; the focus stays with its row. Where that
      fails, the title is there to be tried again, and why. */
  async titled(row, title) {
    const answer = await this.retitle(row, title).catch(() => null);
    if (!answer?.ok) {
      this.rename(row);
      const field = row.querySelector('.retitle');
      field.value = title;
      field.setCustomValidity((await answer?.json().catch(() => null))?.message ??
        'Incipit does not answer. The title is as it was: press Enter to try again.');
      field.reportValidity();
      return;
    }
    await this.refresh();
    document.querySelector(`tr[data-id="${row.dataset.id}"] [data-rename]`)?.focus();
  },
  rename(row) {
    const title = row.querySelector('.dtitle');
    const field = document.createElement('input');
    field.className = 'form-control retitle';
    field.value = row.dataset.title;
    field.maxLength = 200;
    field.setAttribute('aria-label', 'Title');
    title.replaceWith(field);
    this.drawn = ''; // what stands there is no more what the server sent
    field.select();
    let ended = false; // a field that is taken away loses the focus, which ends it, too
    const done = async (keep) => {
      if (ended || !field.isConnected) return;
      if (keep && field.value.trim() && field.value !== row.dataset.title) {
        const answer = await this.retitle(row, field.value);
        if (!answer.ok) field.setCustomValidity((await answer.json()).message);
        if (!field.reportValidity()) return;
      }
      const had = field === document.activeElement || document.activeElement === document.body;
      ended = true;
      field.remove();
      await this.refresh();
      if (had) document.querySelector(`tr[data-id="${row.dataset.id}"] [data-rename]`)?.focus();
    };
    field.addEventListener('keydown', (e) => {
      if (e.key === 'Enter') done(true);
      if (e.key === 'Escape') done(false);
      field.setCustomValidity('');
    });
    field.addEventListener('blur', () => done(true));
  },
});
