import { say, press } from './make.js';

// The server: when it is away it is waited for, and reading goes on when it is
// back; when there is a newer edition, it is offered.

const patience = [2, 4, 8, 15, 30]; // seconds between two tries
const often = 60; // seconds between two looks for a newer edition

export class Away {
  constructor(reader) {
    Object.assign(this, { reader, tries: 0, missing: new Set() });
    document.addEventListener('visibilitychange', () => { if (!document.hidden) this.look(); });
    window.addEventListener('online', () => this.look());
    setInterval(() => { if (!document.hidden) this.look(); }, often * 1000);
  }

  /** A page did not arrive: is it the page, or the server? */
  missed(sheet) {
    this.missing.add(sheet);
    if (!this.waiting) this.look();
  }

  async look() {
    clearTimeout(this.waiting);
    this.waiting = null;
    let answer;
    try {
      answer = await fetch(`${this.reader.base}/edition`, { cache: 'no-store' });
      if (answer.status > 501) throw answer;
    } catch {
      this.reader.notice('away', say('server_away'));
      this.waiting = setTimeout(() => this.look(), patience[Math.min(this.tries++, patience.length - 1)] * 1000);
      return;
    }
    const was = this.tries;
    this.tries = 0;
    this.reader.drop('away');
    if (was) {
      this.reader.said.textContent = say('server_back');
      const again = [...this.missing];
      this.missing.clear();
      for (const s of again) this.reader.near.again(s);
      for (const s of this.reader.near.near) this.reader.near.layer(s);
    }
    if (!answer.ok) return;
    const { mark } = await answer.json();
    if (mark !== this.reader.mark) {
      this.reader.notice('newer', say('edition_newer'), press('plain', say('edition_show'), () => this.renew()));
    }
  }

  renew() {
    history.replaceState(null, '', `#page=${this.reader.page}`);
    location.reload();
  }
}
