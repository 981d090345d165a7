// A document's own screen: a new edition on its way; the screen that says what an edition
// changes; and the one on which files come from other websites.
import { pause } from './ask.js';
import { dropParts, sendParts, token } from './parts.js';
import { request } from './session.js';

/** Times as the clock on the wall has them. */
function inLocalTime() {
  for (const time of document.querySelectorAll('time[data-local]')) {
    time.textContent = new Date(time.dateTime).toLocaleString('en-GB', { dateStyle: 'long', timeStyle: 'short' });
  }
}

export const dossier = () => ({
  going: false, done: 0, said: '', trouble: '', stop: null, locked: '',

  init() {
    inLocalTime();
    this.watch();
  },
  async pick(event) {
    const [file] = event.target.files;
    event.target.value = '';
    if (!file || this.going) return;
    this.leave();
    this.going = true;
    this.trouble = '';
    this.done = 0;
    this.said = `${file.name} is on its way`;
    try {
      const url = await this.arrive(file);
      if (url) return void await this.end(url);
      this.trouble = 'Cancelled. Nothing was kept.';
    } catch (refused) {
      this.trouble = refused.message;
    }
    this.going = false;
    document.getElementById('file').focus();
  },
  /** Shows the edition that comes of what has arrived, or asks for the password of the file. */
  async end(url, password = '') {
    this.said = 'Looking at it';
    const made = await this.become(url, password);
    if (!made.locked) return void location.assign(made.address);
    Object.assign(this, { going: false, trouble: made.message, locked: url });
    this.$nextTick(() => document.getElementById('password').focus());
  },
  /** Tries again with the password of the file. */
  async unlock(field) {
    const [url, password] = [this.locked, field.value];
    field.value = '';
    if (!password) return;
    Object.assign(this, { going: true, trouble: '', locked: '' });
    try {
      await this.end(url, password);
    } catch (refused) {
      Object.assign(this, { going: false, trouble: refused.message });
      document.getElementById('file').focus();
    }
  },
  /** Lets go of a file that asks for a password. */
  leave() {
    if (this.locked) dropParts(this.locked);
    this.locked = '';
  },
  forgo() {
    this.leave();
    this.trouble = 'Cancelled. Nothing was kept.';
    document.getElementById('file').focus();
  },
  /** Sends a file until it has arrived; gives where it did, or nothing if it was cancelled. */
  async arrive(file) {
    let url = '';
    for (let wait = 500; ; wait = Math.min(wait * 2, 5000)) {
      const trouble = await sendParts(file, url, {
        located: (at) => { url = at; },
        accepted: (bytes) => {
          wait = 500;
          this.done = (bytes / file.size) * 100;
          this.said = `${file.name} is on its way`;
        },
        started: (stop) => { this.stop = () => stop(true); },
      });
      if (!trouble) return url;
      if (trouble.stopped) return null;
      if (!trouble.again) throw new Error(trouble.refused ? trouble.said : `${trouble.said} Readers see what they saw; add the file again.`);
      this.said = trouble.said;
      let stopped = false;
      this.stop = () => { stopped = true; };
      await pause(wait);
      if (stopped) {
        if (url) dropParts(url);
        return null;
      }
    }
  },
  /** Has the server make an edition of what has arrived; asked twice, it is one. */
  async become(url, password) {
    for (let wait = 500; ; wait = Math.min(wait * 2, 5000)) {
      const answer = await request(`${url}/edition`, { method: 'POST', headers: { Accept: 'application/json', 'X-CSRF-Token': token() },
        body: new URLSearchParams({ document: this.$root.dataset.document, password }) }).catch(() => null);
      const said = await answer?.json().catch(() => null);
      if (said && (answer.ok || said.locked)) return said;
      if (answer && answer.status < 502) throw new Error(said?.message ?? 'The server did not answer as expected. Readers see what they saw; add the file again.');
      this.said = 'It has arrived. The server does not answer just now; it is asked again.';
      await pause(wait);
    }
  },
  cancel() { this.stop?.(); },
  /** While an edition is examined, the list is kept current. */
  async watch() {
    const shown = {};
    while (this.$root.dataset.reading === 'true') {
      await pause(1000);
      const answer = await fetch(location.href).catch(() => null);
      if (!answer?.ok || answer.redirected) continue;
      const next = new DOMParser().parseFromString(await answer.text(), 'text/html');
      if (!next.querySelector('.editions')) return;
      for (const part of ['.editions', '.shape', '#from']) {
        const [here, then] = [document, next].map((of) => of.querySelector(part));
        if (then.innerHTML === (shown[part] ?? here.innerHTML)) continue; // what is as it was is left alone
        if (here.contains(document.activeElement) || here.querySelector('details[open]')) continue;
        shown[part] = then.innerHTML;
        here.replaceWith(then);
      }
      inLocalTime();
      this.$root.dataset.reading = next.querySelector('main').dataset.reading;
    }
  },
});

export const edition = () => ({
  init() {
    const changes = document.getElementById('changes');
    changes.addEventListener('click', (event) => {
      const button = event.target.closest('[data-over]');
      if (button) this.over(button);
    });
    changes.addEventListener('input', (event) => {
      if (event.target.matches('[data-slide]')) this.slide(event.target);
    });
    // A time is meant as the clock on the wall has it, then.
    changes.addEventListener('submit', ({ target }) => {
      if (target.elements.at?.value) target.elements.minutes.value = -new Date(target.elements.at.value).getTimezoneOffset();
    });
    inLocalTime();
    this.watch(changes);
  },
  async watch(changes) {
    let shown = '';
    while (changes.querySelector('[data-waits=true]')) {
      await pause(700);
      const answer = await fetch(`${location.pathname}/changes${location.search}`).catch(() => null);
      if (!answer?.ok || answer.redirected) continue;
      const next = await answer.text();
      if (next === shown) continue; // whoever looks at the pages meanwhile is left alone
      shown = next;
      const focused = changes.contains(document.activeElement);
      changes.innerHTML = next;
      inLocalTime();
      if (focused) changes.querySelector('button')?.focus();
    }
  },
  /** Lays the two pages over each other, or beside each other again. */
  over(button) {
    const item = button.closest('li');
    const pair = item.querySelector('.leafpair');
    const laid = pair.classList.toggle('stacked');
    button.ariaPressed = String(laid);
    button.textContent = laid ? 'Set them side by side' : 'Lay one over the other';
    const label = item.querySelector('label');
    label.hidden = !laid;
    this.slide(label.querySelector('input'));
    if (laid) label.querySelector('input').focus();
  },
  slide(field) { field.closest('li').querySelector('.leafpair').style.setProperty('--at', `${field.value}%`); },
});

export const from = () => ({
  init() { this.watch(document.getElementById('coming')); },
  /** While files are on their way, the list is kept current; who stands in it stays. */
  async watch(list) {
    const ended = () => [...list.querySelectorAll('li')].filter((l) => l.querySelector('.ok, .must')).map((l) => l.innerText.split('\n')[0]);
    while (list.querySelector('[data-going=true]')) {
      const before = ended();
      await pause(800);
      const answer = await fetch('/documents/from/coming').catch(() => null);
      if (!answer?.ok || answer.redirected) continue;
      const next = await answer.text();
      const at = list.contains(document.activeElement) && document.activeElement.getAttribute('aria-label');
      list.innerHTML = next;
      if (at) ([...list.querySelectorAll('button')].find((b) => b.ariaLabel === at) ?? document.getElementById('address')).focus();
      // What has ended is said once; progress is not read out with every step.
      const news = ended().filter((l) => !before.includes(l));
      if (news.length) document.getElementById('came').textContent = news.join('. ');
    }
  },
});
