// The documents screen: files on their way, the list kept current while they are examined,
// narrowing it, renaming in place.
import { ask, send, pause } from './ask.js';
import { chosen } from './chosen.js';

let last = 0;

/** What a proxy between here and the server did to a file, by its status: our own
    refusals say themselves what they are. line is what its operator changes. */
export function cutOff(status, size) {
  const mb = `${Math.max(1, Math.round(size / 1e5) / 10)} MB`;
  const [what, line] = {
    413: ['takes no file as large as that', `client_max_body_size ${Math.ceil(size / (1 << 20)) + 1}m;`],
    502: ['lost the server while the file was on its way', 'proxy_request_buffering off;'],
    504: ['waited no longer for the server', 'proxy_read_timeout 300s;'],
  }[status] ?? [];
  return what && `A proxy between you and Incipit ${what} (${mb}, status ${status}). Nothing was kept. Whoever runs it has to change one line; in nginx: ${line}`;
}

export const documents = () => ({
  trouble: '', uploads: [], files: new Map(), dragging: false,
  ...chosen, drawn: '', watching: false,

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
  },

  // Adding.
  over(event) { this.dragging = [...event.dataTransfer.types].includes('Files'); },
  out(event) { if (!event.relatedTarget) this.dragging = false; },
  drop(event) {
    this.dragging = false;
    this.add([...event.dataTransfer.files]);
  },
  pick(event) {
    this.add([...event.target.files]);
    event.target.value = '';
  },
  async add(files) {
    // One after the other: the line is shared, and each is told apart.
    for (const file of files) {
      const id = ++last;
      this.uploads.unshift({ id, name: file.name, state: 'going', done: 0, said: 'on its way', locked: false });
    }
    const waiting = this.uploads.slice(0, files.length).reverse();
    for (const [i, file] of files.entries()) await this.one(waiting[i].id, file);
  },
  entry(id) { return this.uploads.find((u) => u.id === id); },
  async one(id, file, password = '') {
    if (!this.entry(id) || this.entry(id).state !== 'going') return;
    const form = new FormData();
    if (password) form.append('password', password);
    form.append('file', file);
    try {
      const added = await send('/documents', form, {
        progress: (done) => {
          const u = this.entry(id);
          u.done = done;
          u.said = done < 100 ? `${Math.floor(done)} % of ${Math.max(1, Math.round(file.size / 1e5) / 10)} MB sent` : 'looking at it';
        },
        started: (request) => { this.entry(id).request = () => request.abort(); },
      });
      const u = this.entry(id);
      if (added.twice?.length) {
        u.state = 'told';
        u.said = `The same file is here already, as ${added.twice.map((t) => `“${t}”`).join(', ')}. Both are kept; remove the one that is not needed.`;
      } else this.uploads = this.uploads.filter((o) => o.id !== id);
      await this.refresh();
      this.watch();
    } catch (refused) {
      const u = this.entry(id);
      u.state = 'refused';
      u.said = refused.said?.message ? refused.message : cutOff(refused.status, file.size) ?? refused.message;
      u.locked = refused.locked;
      this.files.set(id, file);
    }
  },
  cancel(id) {
    const u = this.entry(id);
    if (u.request) u.request();
    else { u.state = 'refused'; u.said = 'Cancelled. Nothing was kept.'; }
  },
  /** Sends a file again that asks for a password, with it. */
  unlock(id, field) {
    const u = this.entry(id);
    const password = field.value;
    field.value = '';
    if (!password) return;
    u.locked = false;
    u.state = 'going';
    u.done = 0;
    this.one(id, this.files.get(id), password);
  },
  passwordId(u) { return `password-${u.id}`; },
  dismiss(id) { this.uploads = this.uploads.filter((u) => u.id !== id); },

  // The list.
  /** What is chosen holds at once; words wait for Enter. */
  narrow() { document.getElementById('wanted').requestSubmit(); },
  async keepView(event) {
    try {
      const answer = await fetch('/documents/views', {
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
    return fetch(`/documents/${row.dataset.id}/title`, {
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
