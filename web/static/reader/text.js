import { say, make, press } from './make.js';

// The text view: the document's text set anew in the reader's own size. It
// comes in parts, and opens where the pages were; the pages open where it was.

const part = 10; // pages of one part, as the server gives them
const sizes = [14, 16, 18, 20, 23, 26, 30, 35];

export class TextView {
  constructor(reader) {
    this.reader = reader;
    this.size = 2;
    const { pages, sheets } = reader;
    this.button = document.querySelector('[data-do=text]');
    this.flow = make('main', { class: 'flowing', id: 'flow', tabindex: 0, lang: pages.lang, 'aria-label': say('text') });
    const step = (name, sign, by) => press('plain', [make('bdi', { 'aria-hidden': 'true', dir: 'ltr' }, sign),
      make('span', { class: 'unseen' }, say(name))], () => this.resize(by), { title: say(name) });
    this.head = make('div', { class: 'way', lang: document.documentElement.lang, dir: document.documentElement.dir },
      step('type_smaller', 'A−', -1), step('type_larger', 'A+', 1),
      press('plain', say('as_pages'), () => this.close()));
    this.flow.append(this.head);
    this.parts = [];
    for (let from = 1; from <= sheets.length; from += part) {
      const section = make('section', { 'data-from': from });
      this.parts.push(section);
      this.flow.append(section);
    }
    // Nothing is shown before its style is there.
    this.styled = new Promise((done) => {
      document.head.append(make('link', { rel: 'stylesheet', href: document.body.dataset.text, onload: done, onerror: done }));
    });
    pages.parentElement.append(this.flow);
    this.resize(0);
    this.observer = new IntersectionObserver((entries) => {
      for (const e of entries) if (e.isIntersecting) this.load(e.target);
    }, { root: this.flow, rootMargin: '100%' });
    for (const p of this.parts) this.observer.observe(p);
    this.flow.addEventListener('scroll', () => {
      if (this.waiting) return;
      this.waiting = true;
      requestAnimationFrame(() => {
        this.waiting = false;
        if (this.settled && !this.flow.hidden) reader.tell(this.at().page);
      });
    }, { passive: true });
    this.flow.addEventListener('click', (event) => {
      const link = event.target.closest('a[data-to]');
      if (link) {
        event.preventDefault();
        this.go(Number(link.dataset.to));
        return;
      }
      // Notes: to the foot, and back to where they are called.
      const note = event.target.closest('a[role=doc-noteref], a[role=doc-backlink]');
      const end = note && document.getElementById(note.getAttribute('href').slice(1));
      if (end) {
        event.preventDefault();
        end.scrollIntoView({ block: 'center', behavior: 'instant' });
        end.focus({ preventScroll: true });
        return;
      }
      const mark = event.target.closest('a.mark');
      if (!mark) return;
      event.preventDefault();
      this.close(Number(mark.dataset.leaf));
    });
    this.flow.hidden = true;
  }

  resize(by) {
    this.size = Math.min(Math.max(this.size + by, 0), sizes.length - 1);
    const before = this.settled && this.at();
    this.flow.style.fontSize = `${sizes[this.size]}px`;
    if (before) this.to(before);
  }

  load(section) {
    section.loading ??= (async () => {
      try {
        const answer = await fetch(`${this.reader.base}/flow/${this.reader.mark}/${section.dataset.from}`);
        if (!answer.ok) throw new Error(`${answer.status}`);
        // The server's own HTML: nothing in it can run.
        section.replaceChildren(...new DOMParser().parseFromString(await answer.text(), 'text/html').body.childNodes);
        section.classList.add('here');
      } catch {
        section.loading = null;
        section.replaceChildren(make('p', { class: 'blank' }, say('text_late'), ' ',
          press('plain', say('again'), () => this.load(section))));
      }
    })();
    return section.loading;
  }

  get marks() { return [...this.flow.querySelectorAll('a.mark')]; }

  /** How far down a mark stands, or the block that begins with it. */
  top(mark) {
    const element = mark.previousSibling ? mark : mark.parentElement;
    return element.getBoundingClientRect().top - this.flow.getBoundingClientRect().top + this.flow.scrollTop;
  }

  /** Where reading begins, below the line of buttons. */
  get line() { return this.head.offsetHeight + 12; }

  /** The place that is read: a page, and the part of it that is above. */
  at() {
    const line = this.flow.scrollTop + this.line;
    const { marks } = this;
    const i = marks.findLastIndex((m) => this.top(m) <= line + 8);
    if (i < 0) return { page: Number(marks[0]?.dataset.leaf ?? 1), part: 0 };
    const from = this.top(marks[i]);
    const to = marks[i + 1] ? this.top(marks[i + 1]) : this.flow.scrollHeight;
    return { page: Number(marks[i].dataset.leaf), part: Math.min(Math.max((line - from) / Math.max(to - from, 1), 0), 0.98) };
  }

  to({ page, part: share }) {
    const mark = this.flow.querySelector(`#t${page}`);
    if (!mark) return;
    const next = this.flow.querySelector(`#t${page + 1}`);
    const from = this.top(mark);
    const to = next ? this.top(next) : this.flow.scrollHeight;
    this.flow.scrollTop = page === 1 && share === 0 ? 0 : from + share * (to - from) - this.line;
  }

  async open() {
    const { reader } = this;
    const place = reader.placeNow();
    this.settled = false;
    await this.styled;
    this.flow.hidden = false;
    document.body.classList.add('as-text');
    this.button?.setAttribute('aria-pressed', 'true');
    // A paragraph that begins on the page before carries the mark of this one.
    const i = Math.floor((place.page - 1) / part);
    await Promise.all([this.parts[i], place.page % part === 1 ? this.parts[i - 1] : null].filter(Boolean).map((p) => this.load(p)));
    this.to(place);
    this.settled = true;
    this.flow.focus({ preventScroll: true });
    reader.said.textContent = say('text_open', { n: place.page });
  }

  close(page) {
    const place = page ? { page, part: 0 } : this.at();
    this.flow.hidden = true;
    document.body.classList.remove('as-text');
    this.button?.setAttribute('aria-pressed', 'false');
    this.reader.placeAt(place);
    this.reader.pages.focus({ preventScroll: true });
  }

  /** Goes to a page, from the toolbar or the fore-edge. */
  async go(page) {
    this.settled = false;
    await this.load(this.parts[Math.floor((page - 1) / part)]);
    this.to({ page, part: 0 });
    this.settled = true;
  }

  get isOpen() { return !this.flow.hidden; }
}
