// Adding many files at once: each is looked for first, then sent in parts (tus 1.0), and
// goes on where it was after the line, this screen or the server was interrupted.
import { ask, pause } from './ask.js';
import { dropped } from './dropped.js';
import { dropParts, sendParts, token } from './parts.js';
import { dropFile, keepFile, keptFiles } from './waiting.js';
import { request } from './session.js';

const atOnce = 3;
const mostHashed = 256 << 20; // what is larger is not looked for: it would have to be read as a whole

const mb = (bytes) => `${Math.max(1, Math.round(bytes / 1e5)) / 10} MB`;
const files = (n) => (n === 1 ? '1 file' : `${n} files`);
const hex = (b) => [...new Uint8Array(b)].map((x) => x.toString(16).padStart(2, '0')).join('');

/** What a screen with refresh() and watch() is given. */
export const adding = {
  /** @type {any[]} */
  uploads: [], arrived: 0, sent: 0, left: 0, dragging: false,
  /** Files by their entry, the senders of those that go, and what is being looked at. */
  kept: new Map(), senders: new Map(), hashes: new Map(),

  over(event) { this.dragging = [...event.dataTransfer.types].includes('Files'); },
  out(event) { if (!event.relatedTarget) this.dragging = false; },
  async drop(event) {
    this.dragging = false;
    const found = await dropped(event.dataTransfer);
    this.left += found.left;
    this.add(found.files);
  },
  pick(event) {
    this.add([...event.target.files]);
    event.target.value = '';
  },
  paste(event) {
    if (event.clipboardData?.files.length) this.add([...event.clipboardData.files]);
  },
  /** Takes up what was on its way when the screen was left. */
  async goOn() {
    for (const k of await keptFiles()) {
      this.enter(k.file, k);
      if (k.refused) Object.assign(this.entry(k.id), { state: 'refused', ...k.refused }); // not sent again
    }
    this.turn();
  },
  add(chosen) {
    const now = Date.now();
    chosen.forEach((file, i) => {
      const u = this.enter(file, { id: crypto.randomUUID?.() ?? `${now}-${i}-${Math.random()}`, at: now + i / 10000 });
      if (file.size <= this.most()) keepFile({ id: u.id, at: u.at, file, url: '' });
    });
    this.turn();
  },
  enter(file, { id, at, url = '' }) {
    this.kept.set(id, file);
    this.uploads.push({ id, at, url, name: file.name, size: file.size, state: 'waiting', done: 0, said: 'waits for its turn', locked: false, again: false, document: 0, anyway: Boolean(url) });
    return this.entry(id);
  },
  entry(id) { return this.uploads.find((u) => u.id === id); },
  going(u) { return ['looking', 'going', 'ending'].includes(u.state); },
  /** Starts as many as may go at once. */
  turn() {
    for (const u of this.uploads) {
      if (this.uploads.filter((o) => this.going(o)).length >= atOnce) return;
      if (u.state === 'waiting') this.send(u.id).catch((e) => this.refuse(u.id, e.message)).finally(() => this.turn());
    }
  },
  refuse(id, said, { locked = false, again = false } = {}) {
    const u = this.entry(id);
    if (!u) return;
    Object.assign(u, { state: 'refused', said, locked, again });
    // Of one that is too large its name is enough.
    const file = u.size > this.most() ? { name: u.name, size: u.size } : this.kept.get(id);
    keepFile({ id, at: u.at, file, url: u.url, refused: { said, locked, again } });
  },
  /** What is larger is not sent: bytes. */
  most() { return Number(/** @type {HTMLElement} */ (document.querySelector('[data-most]'))?.dataset.most) || Infinity; },

  /** Sends one file until it has arrived, was paused or refused. */
  async send(id) {
    let u = this.entry(id);
    if (u.size > this.most()) return this.refuse(id, `It has ${mb(u.size)}, and a file may have ${mb(this.most())}. Nothing of it was sent.`);
    u.state = 'looking';
    u.said = 'looking whether it is here already';
    if (!u.anyway && await this.isKnown(u)) return;
    for (let wait = 500; ; wait = Math.min(wait * 2, 5000)) {
      u = this.entry(id);
      if (!u || u.state === 'paused') return;
      u.state = 'going';
      const trouble = await sendParts(this.kept.get(id), u.url, {
        located: (url) => {
          const e = this.entry(id);
          if (!e) return false; // cancelled before the server had said where
          e.url = url;
          keepFile({ id, at: e.at, file: this.kept.get(id), url });
          return true;
        },
        accepted: (bytes) => {
          wait = 500;
          this.progress(id, bytes);
        },
        started: (stop) => this.senders.set(id, { stop }),
      });
      this.senders.delete(id);
      u = this.entry(id);
      if (!u || trouble?.stopped) return;
      if (!trouble) break;
      u.said = [trouble.said, trouble.next].filter(Boolean).join(' ');
      if (trouble.anew) u.url = '';
      if (trouble.refused) return this.refuse(id, trouble.said);
      if (!trouble.again) {
        u.state = 'paused';
        return;
      }
      await pause(wait);
    }
    this.progress(id, u.size);
    await this.end(id);
  },
  progress(id, bytes) {
    const u = this.entry(id);
    if (!u) return;
    u.done = bytes;
    u.said = `${Math.floor((bytes / u.size) * 100)} % of ${mb(u.size)}`;
  },
  /** Whether the same bytes are here already, or go before it. */
  async isKnown(u) {
    const file = this.kept.get(u.id);
    if (!crypto.subtle || file.size > mostHashed) return false;
    const hash = hex(await crypto.subtle.digest('SHA-256', await file.arrayBuffer()));
    const first = [...this.hashes].find(([id, h]) => h === hash && id !== u.id && this.entry(id));
    this.hashes.set(u.id, hash);
    const { known } = first ? { known: [] } : await ask('POST', '/documents/known', { sha256: [hash] }).catch(() => ({ known: [] }));
    const e = this.entry(u.id);
    if (!e) return true;
    if (first) e.said = `It has the same bytes as “${this.entry(first[0]).name}”, which goes before it.`;
    else if (known.length) e.said = `It is here already, as “${known[0].title}”.`;
    else return false;
    e.state = 'known';
    e.document = known[0]?.document ?? 0;
    return true;
  },
  /** Has the server make a document of what has arrived; asked twice, it is one. */
  async end(id, password = '') {
    const u = this.entry(id);
    u.state = 'ending';
    u.again = false;
    u.said = /\.pdf$/i.test(u.name) ? 'looking at it' : 'a PDF is made of it';
    for (let wait = 500; ; wait = Math.min(wait * 2, 5000)) {
      try {
        const answer = await request(`${u.url}/document`, {
          method: 'POST', headers: { Accept: 'application/json', 'X-CSRF-Token': token() }, body: new URLSearchParams({ password }),
        });
        const said = await answer.json().catch(() => ({}));
        if (!this.entry(id)) return;
        if (answer.ok) {
          this.arrived++;
          this.sent += u.size;
          this.forget(id);
          await this.refresh();
          this.watch();
          return;
        }
        if (answer.status === 422) return this.refuse(id, said.message, said);
        if (answer.status === 507 || answer.status === 401 || answer.status === 403) {
          Object.assign(u, { state: 'paused', said: said.message ?? 'You are no longer signed in. Sign in in another tab, then resume.' });
          return;
        }
        if (answer.status === 404) return this.refuse(id, 'The server knows nothing of it any more. Add it again.');
      } catch { /* it cannot be reached */ }
      u.said = 'It has arrived. The server does not answer just now; it is asked again.';
      await pause(wait);
    }
  },
  forget(id) {
    this.uploads = this.uploads.filter((o) => o.id !== id);
    this.kept.delete(id);
    dropFile(id);
  },

  pauseOne(id) {
    const u = this.entry(id);
    Object.assign(u, { state: 'paused', said: `paused at ${Math.floor((u.done / u.size) * 100)} %` });
    this.senders.get(id)?.stop(false);
    this.turn();
  },
  resume(id) {
    const u = this.entry(id);
    Object.assign(u, { state: 'waiting', said: 'waits for its turn' });
    keepFile({ id, at: u.at, file: this.kept.get(id), url: u.url });
    this.turn();
  },
  pauseAll() { this.uploads.filter((u) => u.state === 'waiting' || u.state === 'going' || u.state === 'looking').forEach((u) => this.pauseOne(u.id)); },
  resumeAll() { this.uploads.filter((u) => u.state === 'paused').forEach((u) => this.resume(u.id)); },
  /** Stops a file and lets go of what has arrived of it. */
  cancel(id) {
    const u = this.entry(id);
    const sender = this.senders.get(id);
    this.forget(id);
    if (sender && u.url) sender.stop(true);
    else if (!sender && u.url) dropParts(u.url);
    this.turn();
  },
  addAnyway(id) {
    Object.assign(this.entry(id), { anyway: true });
    this.resume(id);
  },
  /** Asks again for a document of a file that asks for a password, with it. */
  unlock(id, field) {
    const password = field.value;
    field.value = '';
    if (!password) return;
    this.entry(id).locked = false;
    this.end(id, password);
  },
  passwordId(u) { return `password-${u.id}`; },
  addressOf(u) { return `/documents/${u.document}`; },

  /** How far all of it is. */
  whole() {
    const all = this.uploads.filter((u) => u.state !== 'refused' && u.state !== 'known');
    const bytes = all.reduce((n, u) => n + u.size, this.sent);
    const done = all.reduce((n, u) => n + u.done, this.sent);
    return bytes ? (done / bytes) * 100 : 100;
  },
  wholeSaid() {
    const of = (state) => this.uploads.filter((u) => u.state === state).length;
    const open = this.uploads.length - of('refused') - of('known');
    const not = [of('refused') && `${of('refused')} refused`, of('known') && `${of('known')} here already`].filter(Boolean).join(', ');
    const more = this.left ? ` ${files(this.left)} in folders ${this.left === 1 ? 'is neither a PDF nor an office document and was' : 'are neither PDFs nor office documents and were'} left out.` : '';
    const rest = (not && ` ${not[0].toUpperCase()}${not.slice(1)}.`) + more;
    if (!open && !this.arrived) return `Nothing was added.${rest}`;
    return (open ? `${this.arrived} of ${files(this.arrived + open)} added, ${Math.floor(this.whole())} %.` : `${files(this.arrived)} added.`) + rest;
  },
  anyGoing() { return this.uploads.some((u) => u.state === 'waiting' || this.going(u)); },
  anyPaused() { return this.uploads.some((u) => u.state === 'paused'); },
  /** What is told and done goes. */
  tidy() {
    // What can be tried again stays.
    this.uploads.filter((u) => u.state === 'known' || u.state === 'refused' && !u.again).forEach((u) => this.cancel(u.id));
    Object.assign(this, { arrived: 0, sent: 0, left: 0 });
  },
};
